<!-- When one promotion could go: closed stretches in their texture, the first start as a flag. -->
<script lang="ts">
	import type { Row } from '$lib/api/client';
	import { timeBar as say } from '$lib/words/desk';
	import { stretch, ticks, when, type Span } from '$lib/time/time';
	let { row, start, span, probe = null }: { row: Row; start: number; span: Span; probe?: number | null } = $props();

	const now = $derived(new Date(start));
	const zone = $derived(row.target.zone);
	const closings = $derived(
		row.closings.flatMap((closing) => {
			const at = stretch(Date.parse(closing.start), Date.parse(closing.end), start, span.ms);
			return at ? [{ ...closing, ...at }] : [];
		})
	);
	const first = $derived(row.first_start ? Math.max(Date.parse(row.first_start), start) : null);
	const flag = $derived(first !== null && first < start + span.ms ? (first - start) / span.ms : null);
	const nights = $derived(ticks(start, span.ms, 24, zone));
	const said = $derived(
		[
			first === null ? say.noStart : first <= start ? say.now : say.firstStart(when(new Date(first), zone, now)),
			...closings.map((c) => say.until(c.name, when(new Date(c.end), zone, now)))
		].join(' ')
	);
</script>

<div class="bar" role="img" aria-label={said} title={said}>
	{#each nights as night (night.at)}
		<i class="night" style:left="{night.place * 100}%"></i>
	{/each}
	{#each closings as closing, n (n)}
		<i class="closing texture-{closing.texture}" style:left="{closing.left * 100}%" style:width="{closing.width * 100}%"></i>
	{/each}
	{#if probe !== null && probe <= start + span.ms}<i class="probe" style:left="{((probe - start) / span.ms) * 100}%"></i>{/if}
	{#if flag !== null}
		<i class="flag" style:left="{flag * 100}%"></i>
		{#if first !== null && first > start}
			<span class="flag-text" class:left={flag > 0.72} style:left="{flag * 100}%">{when(new Date(first), zone, now)}</span>
		{/if}
	{/if}
</div>

<style>
	.bar {
		position: relative;
		height: 30px;
		border-left: 1.5px solid var(--wax);
		border-bottom: 1px solid var(--hair-strong);
	}
	i {
		position: absolute;
		top: 0;
		bottom: 0;
	}
	.probe {
		width: 1.5px;
		top: -14px;
		background: var(--blue);
	}
	.closing {
		top: 9px;
		border-inline: 1px solid var(--hair-strong);
	}
	.flag {
		width: 2px;
		background: var(--verdigris);
	}
	.flag::after {
		content: '';
		position: absolute;
		left: 2px;
		top: 0;
		border: 5px solid transparent;
		border-left: 8px solid var(--verdigris);
	}
	.flag-text {
		position: absolute;
		top: -5px;
		margin-left: 13px;
		padding: 0 2px;
		font-size: var(--text-tiny);
		font-weight: 600;
		color: var(--verdigris);
		white-space: nowrap;
		background: var(--paper);
	}
	.flag-text.left {
		transform: translateX(-100%);
		margin-left: -4px;
	}
</style>
