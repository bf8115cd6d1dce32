<script lang="ts">
	import { page } from '$app/state';
</script>

<div class="grid gap-3 justify-items-start py-16">
	<h1 class="text-3xl">{page.status === 404 ? 'There is no such page' : 'Something went wrong'}</h1>
	<p class="soft">{page.error?.message}</p>
	<a class="button" href="/desk">Back to the Desk</a>
</div>
