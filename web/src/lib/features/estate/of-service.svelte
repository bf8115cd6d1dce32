<!-- Narrows a list of the estate to one service; which one stands in the address. -->
<script lang="ts">
	import { page } from '$app/state';
	import { api, data, type Schemas } from '$lib/api/client';
	import { put } from '$lib/state/here.svelte';
	import { Loader } from '$lib/state/loader.svelte';
	import { history as say } from '$lib/words/estate';

	let services = $state.raw<[string, Schemas['Service']][]>([]);
	new Loader(
		() => data(api.GET('/api/services')),
		(found) => (services = Object.entries(found))
	).follow();
</script>

<label>{say.service} <select class="field" value={page.url.searchParams.get('service') ?? ''} onchange={(event) => put({ service: event.currentTarget.value || null })}><option value="">{say.every}</option>{#each services as [id, one] (id)}<option value={id}>{one.title}</option>{/each}</select></label>

<style>
	.field {
		width: auto;
	}
</style>
