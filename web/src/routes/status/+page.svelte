<!-- How a promotion stands, for whoever has the address; its secret stands behind the #, so that no server logs it. -->
<script lang="ts">
	import Status from '$lib/features/dossier/status.svelte';
	import { shared as say } from '$lib/words/dossier';
</script>

<svelte:head><title>{say.title}</title></svelte:head>

<Status token={location.hash.slice(1)} />
