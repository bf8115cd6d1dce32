<!-- The state of the house: what has to be there, which processes run, what is late, what fails, how large it is. -->
<script lang="ts">
	import { api, data } from '$lib/api/client';
	import { live } from '$lib/state/live.svelte';
	import { session } from '$lib/state/session.svelte';
	import { Setting } from '$lib/features/set-up/setting.svelte';
	import { when } from '$lib/time/time';
	import Stamp from '$lib/ui/stamp.svelte';
	import { bytes } from '$lib/words';
	import { house as say } from '$lib/words/house';

	const AGAIN_MS = 5000;
	const setting = new Setting(() => data(api.GET('/api/house')));
	let beats = $state(0);
	$effect(() => {
		const timer = setInterval(() => beats++, AGAIN_MS);
		return () => clearInterval(timer);
	});
	setting.follow(() => [live.version, beats]);
	const found = $derived(setting.found);
	const at = (instant: string) => when(new Date(instant), session.zone, new Date());
	const mixed = $derived(new Set(found?.processes.filter((one) => one.alive).map((one) => one.version)).size > 1);
	const fails = $derived(!!found && (found.failing.length > 0 || found.unread.length > 0 || found.in_trouble > 0 || found.given_up > 0));
</script>

{#if found}
	<h2>{say.checks}</h2>
	<ul class="lines">
		{#each found.checks as one (one.name)}<li class="line check"><Stamp says={one.ok ? say.well : say.missing} /><span>{one.says}</span></li>{/each}
	</ul>

	<h2>{say.processes}</h2>
	<ul class="lines">
		{#each found.processes as one (`${one.host} ${one.pid} ${one.began_at}`)}
			<li class="line process" class:gone={!one.alive}>
				<b>{say.process[one.kind]}</b><span class="mono">{one.host} {one.pid}</span><span>{one.version}</span><span>{say.since(at(one.began_at))}</span>
				<span>{one.alive ? say.heard(one.silent_seconds) : say.gone}</span>
				{#each one.lacks as says}<span class="lacks">{says}</span>{/each}
			</li>
		{:else}<li class="soft">{say.noProcess}</li>{/each}
	</ul>
	{#if mixed}<p class="lacks">{say.versions}</p>{/if}

	<h2>{say.late}</h2>
	<ul class="lines">
		{#each found.queues as one (one.name)}<li class="line queue"><span>{say.queues[one.name]}</span><span>{one.due ? say.dueSince(one.due, one.since ? at(one.since) : '') : say.nothingDue}</span></li>{/each}
	</ul>

	<h2>{say.fails}</h2>
	<ul class="lines">
		{#each found.failing as one (one.source.id)}<li class="line queue"><a href="/set-up/sources">{one.source.name}</a><span>{say.sourceFails(at(one.since), one.reason)}</span></li>{/each}
		{#each found.unread as one (one.source.id)}<li class="line queue"><a href="/set-up/services">{say.repositoryOf(one.source.name)}</a><span>{say.sourceFails(at(one.since), one.reason)}</span></li>{/each}
		{#if found.in_trouble}<li><a href="/set-up/troubles">{say.troubles(found.in_trouble)}</a></li>{/if}
		{#if found.given_up}<li><a href="/set-up/events-out">{say.givenUp(found.given_up)}</a></li>{/if}
		{#if !fails}<li class="soft">{say.nothingFails}</li>{/if}
	</ul>

	<h2>{say.size}</h2>
	<p>{say.database(bytes(found.size))} {#if found.entries_a_day}{say.grows(bytes(found.bytes_a_day), found.entries_a_day.toFixed(0))}{/if} <span class="soft">{say.version(found.version, found.schema_version)}</span></p>
	<table>
		<thead><tr><th scope="col">{say.table}</th><th scope="col">{say.rows}</th><th scope="col">{say.takes}</th></tr></thead>
		<tbody>
			{#each found.tables as one (one.name)}<tr><td>{one.name.replaceAll('_', ' ')}</td><td>{one.rows}</td><td>{bytes(one.size)}</td></tr>{/each}
		</tbody>
	</table>
{:else if setting.failed}<p role="alert">{setting.failed}</p>{/if}

<style>
	h2 {
		padding-top: 1.1rem;
	}
	.check {
		--line: 92px minmax(0, 1fr);
	}
	.process {
		--line: 70px minmax(0, 1fr) 70px minmax(0, 0.8fr) minmax(0, 0.6fr);
	}
	.queue {
		--line: minmax(0, 0.8fr) minmax(0, 1.4fr);
	}
	.gone,
	.lacks {
		color: var(--wax);
	}
	.lacks {
		grid-column: 1 / -1;
		font-weight: 600;
	}
	table {
		min-width: min(420px, 100%);
		border-collapse: collapse;
	}
	th,
	td {
		padding: 3px 18px 3px 0;
		border-bottom: 1px solid var(--hair);
		text-align: left;
		font-variant-numeric: tabular-nums;
	}
	th + th,
	td + td {
		text-align: right;
	}
</style>
