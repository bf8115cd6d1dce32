<!-- Deciding by a link from a mail; its secret stands behind the #, so that no server logs it. -->
<script lang="ts">
	import Answer from '$lib/features/messages/answer.svelte';
	import { answer as say } from '$lib/words/messages';
</script>

<svelte:head><title>{say.title}</title></svelte:head>

<Answer token={location.hash.slice(1)} />
