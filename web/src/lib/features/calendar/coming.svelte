<!-- The lanes in words: what could start next, what closes. -->
<script lang="ts">
	import type { Timeline } from '$lib/api/client';
	import { city, clock, day, when } from '$lib/time/time';
	import { capital } from '$lib/words';
	import { coming as say } from '$lib/words/calendar';
	import { coming } from './coming';

	const { lanes, now, end, zone, other }: { lanes: Timeline['lanes']; now: number; end: number; zone: string; other: string | null } = $props();

	const MOST = 14;
	const all = $derived(coming(lanes, now, end));
	const days = $derived(Map.groupBy(all.slice(0, MOST), (one) => day(new Date(one.at), zone)));
</script>

<section aria-labelledby="coming">
	<h2 id="coming">{say.whatComes}</h2>
	{#if all.length === 0}
		<p class="soft">{say.nothing(day(new Date(end - 1), zone))}</p>
	{:else}
		<div class="days">
			{#each days as [name, some] (name)}
				<div>
					<h3>{name}</h3>
					<ol>
						{#each some as one}
							<li>
								<span class="at">{one.at === now ? say.now : clock(new Date(one.at), zone)}{#if other && one.at !== now}<span class="soft">{say.there(clock(new Date(one.at), other), city(other))}</span>{/if}</span>
								{#if one.number !== undefined}
									<i class="flag"></i>
									<span><a class="underline" href="/promotion/{one.number}">{one.what}</a> {say.couldStart} <span class="soft">{say.into(one.places[0])}</span></span>
								{:else}
									<i class="texture-freeze"></i>
									<span>{capital(one.what)} <span class="soft">{say.closes(one.places, when(new Date(one.until ?? one.at), zone, new Date(one.at)))}</span></span>
								{/if}
							</li>
						{/each}
					</ol>
				</div>
			{/each}
		</div>
		{#if all.length > MOST}<p class="soft">{say.more(all.length - MOST)}</p>{/if}
	{/if}
</section>

<style>
	section {
		padding-top: 0.8rem;
	}
	h3 {
		font-size: var(--text-small);
		border-bottom: 1px solid var(--hair-strong);
	}
	.days {
		display: grid;
		grid-template-columns: repeat(auto-fill, minmax(min(100%, 340px), 1fr));
		gap: 0.7rem 28px;
		padding-top: 0.3rem;
	}
	li {
		display: grid;
		grid-template-columns: minmax(40px, auto) 18px 1fr;
		column-gap: 8px;
		align-items: baseline;
		padding: 2px 0;
		font-size: var(--text-note);
	}
	.at .soft {
		display: block;
		font-size: var(--text-tiny);
	}
	.at {
		font-variant-numeric: tabular-nums;
	}
	i {
		align-self: center;
		width: 16px;
		height: 11px;
		border: 1px solid var(--hair-strong);
	}
	.flag {
		justify-self: center;
		width: 0;
		height: 0;
		border: 5px solid transparent;
		border-left: 8px solid var(--verdigris);
	}
</style>
