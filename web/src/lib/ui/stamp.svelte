<!-- A verdict or state as an inked mark: its outline and its word say it, colour only repeats it. -->
<script lang="ts">
	let { says, large = false }: { says: string; large?: boolean } = $props();
</script>

<span class="stamp" class:large data-says={says}><span>{says}</span></span>

<style>
	.stamp {
		--tone: var(--ink-soft);
		display: inline-grid;
		place-items: center;
		min-width: 5.4rem;
		height: 1.6rem;
		padding: 0 0.55rem 0.1rem;
		color: var(--tone);
		font-family: var(--serif);
		font-variant-caps: all-small-caps;
		font-weight: 700;
		font-size: var(--text-label);
		letter-spacing: 0.07em;
		line-height: 1;
		white-space: nowrap;
		border: 1.5px solid var(--tone);
	}
	.large {
		min-width: 7.5rem;
		height: 2.2rem;
		font-size: var(--text-section);
	}
	/* Let through: a double-ringed oval. */
	[data-says='cleared'],
	[data-says='within'],
	[data-says='well'],
	[data-says='confirmed'],
	[data-says='runs'],
	[data-says='landed'] {
		--tone: var(--verdigris);
		border: 4px double var(--tone);
		border-radius: 50%;
	}
	/* Landed: the oval, inked full. */
	[data-says='landed'] {
		background: color-mix(in oklab, var(--verdigris) 12%, transparent);
	}
	/* Not yet: a perforated ticket. */
	[data-says='not known yet'],
	[data-says='over'],
	[data-says='held'] {
		--tone: var(--ochre);
		border: 2px dashed var(--tone);
	}
	/* Not so: a solid block with its corners cut. */
	[data-says='barred'],
	[data-says='breached'],
	[data-says='incident'],
	[data-says='drift'],
	[data-says='issues'],
	[data-says='not good'],
	[data-says='missing'],
	[data-says='overdue'],
	[data-says='turned back'],
	[data-says='rolled back'] {
		--tone: var(--wax);
		border: 0;
		background: var(--tone);
		color: var(--paper);
		clip-path: polygon(0.5rem 0, calc(100% - 0.5rem) 0, 100% 50%, calc(100% - 0.5rem) 100%, 0.5rem 100%, 0 50%);
	}
	/* Under way: a pennant. */
	[data-says='moving'] {
		--tone: var(--blue);
		border: 0;
		background: var(--tone);
		color: var(--paper);
		padding-right: 1.1rem;
		clip-path: polygon(0 0, 100% 0, calc(100% - 0.7rem) 50%, 100% 100%, 0 100%);
	}
	/* Stopped half-way: two bars across the way. */
	[data-says='halted'] {
		--tone: var(--wax);
		border: 0 solid var(--tone);
		border-width: 0 7px;
		outline: 1.5px solid var(--tone);
		outline-offset: -1.5px;
	}
	[data-says='withdrawn'] {
		border-width: 0 0 1.5px;
		text-decoration: line-through;
	}
</style>
