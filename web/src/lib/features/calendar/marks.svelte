<!-- What landed on a lane, and what could start there, each leading to its file. -->
<script lang="ts">
	import type { Timeline } from '$lib/api/client';
	import { lane as say } from '$lib/words/calendar';

	type Props = {
		lane: Timeline['lanes'][number];
		now: number;
		/** Where on the lane an instant is, in per cent. */
		place: (at: number) => number;
		moment: (at: string) => string;
	};
	let { lane, now, place, moment }: Props = $props();
</script>

{#each lane.landings as one (one.number)}
	<a class="landing" class:badly={one.badly} href="/promotion/{one.number}" style:left="{place(Date.parse(one.at))}%" title={say.landed(one.name, moment(one.at), one.badly)}><span class="sr-only">{say.landing(one.name, one.badly)}</span></a>
{/each}
{#each lane.starts as one (one.number)}
	<a class="start" href="/promotion/{one.number}" style:left="{place(Math.max(Date.parse(one.at), now))}%" title={say.couldStartAt(one.name, moment(one.at))}><span class="sr-only">{say.couldStart(one.name)}</span></a>
{/each}

<style>
	a {
		position: absolute;
	}
	.landing {
		bottom: 1px;
		width: 9px;
		height: 9px;
		margin-left: -4px;
		background: var(--ink);
		border-radius: 50%;
	}
	.landing.badly {
		background: var(--paper);
		border: 2px solid var(--wax);
		border-radius: 0;
	}
	.start {
		top: 16px;
		height: 28px;
		border-left: 2px solid var(--verdigris);
		padding-right: 10px;
	}
	.start::after {
		content: '';
		position: absolute;
		left: 0;
		top: 0;
		border: 5px solid transparent;
		border-left: 8px solid var(--verdigris);
	}
</style>
