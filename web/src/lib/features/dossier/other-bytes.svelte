<!-- What landed beside what was cleared, and who asked for it to be accepted: this is what one accepts. -->
<script lang="ts">
	import type { Dossier } from '$lib/api/client';
	import { when } from '$lib/time/time';
	import { otherBytes as say } from '$lib/words/dossier';

	let { landed, zone, now }: { landed: NonNullable<Dossier['landed']>; zone: string; now: Date } = $props();
</script>

<h3 class="label">{say.heading}</h3>
<ul>
	{#each landed.others as one}
		<li>
			{one.name}
			<dl>
				<dt>{say.cleared}</dt>
				<dd class:mono={one.cleared}>{one.cleared ?? say.notCleared}</dd>
				<dt>{say.landed}</dt>
				<dd class:mono={one.landed}>{one.landed ?? say.missing}</dd>
			</dl>
		</li>
	{/each}
</ul>
<p class="soft">{say.hint}</p>
{#if landed.asked_by && landed.asked_at}<p>{say.asked(landed.asked_by.name, when(new Date(landed.asked_at), zone, now))} <q>{landed.reason}</q></p>{/if}

<style>
	dl {
		display: grid;
		grid-template-columns: max-content minmax(0, 1fr);
		column-gap: 0.5rem;
		padding: 1px 0 4px;
		font-size: var(--text-small);
	}
	dt {
		color: var(--ink-soft);
	}
	.mono {
		font-size: var(--text-tiny);
		line-height: 1.6;
		overflow-wrap: anywhere;
	}
	p {
		font-size: var(--text-small);
	}
	q {
		font-family: var(--serif);
		font-style: italic;
	}
</style>
