<script lang="ts">
	import { lost as say } from '$lib/words/frame';
	import { common } from '$lib/words/common';
	import { page } from '$app/state';
</script>

<div class="grid gap-3 justify-items-start py-16">
	<h1 class="text-3xl">{page.status === 404 ? say.noPage : say.wentWrong}</h1>
	<p class="soft">{page.error?.message}</p>
	<a class="button" href="/desk">{common.backToTheDesk}</a>
</div>
