<!-- When an environment was closed, and when its policy changed. -->
<script lang="ts">
	import type { Schemas } from '$lib/api/client';
	import { session } from '$lib/state/session.svelte';
	import { clock, day } from '$lib/time/time';
	import { history as say } from '$lib/words/estate';
	let { track }: { track: Schemas['Occurrence'][] } = $props();

	/** With its day always: a stretch has two. */
	const moment = (at: string) => `${day(new Date(at), session.zone)} ${clock(new Date(at), session.zone)}`;
</script>

<aside aria-labelledby="track">
	<h2 class="label" id="track">{say.track}</h2>
	<ol>
		{#each track as one, n (n)}
			<li data-kind={one.kind}>
				<i class:texture-freeze={one.kind !== 'policy'} aria-hidden="true"></i>
				<span><span class="soft">{moment(one.at)}{one.until ? ` – ${moment(one.until)}` : ''}</span><br />{one.says}</span>
			</li>
		{/each}
	</ol>
</aside>

<style>
	li {
		display: grid;
		grid-template-columns: 14px minmax(0, 1fr);
		gap: 0.6rem;
		padding: 5px 0;
		border-bottom: 1px solid var(--hair);
		line-height: 1.3;
	}
	.soft {
		font-size: var(--text-small);
	}
	i {
		border: 1px solid var(--hair-strong);
	}
	[data-kind='policy'] i {
		border: 0;
		border-left: 3px double var(--ink);
	}
</style>
