<!-- How far what goes in step by step has come, in the room of a time bar. -->
<script lang="ts">
	import type { Row } from '$lib/api/client';
	import { row as say } from '$lib/words/desk';
	let { going }: { going: NonNullable<Row['going']> } = $props();
</script>

<span class="rungs" class:halted={going.halted} role="img" aria-label={say.goingIn(going.shares[going.at] ?? 0, going.shares.length - going.at - 1)}>
	{#each going.shares as share, n (share)}
		<span class={n < going.at ? 'was' : n === going.at ? 'is' : 'comes'} style:flex-grow={share - (going.shares[n - 1] ?? 0)}><i></i><b class="mono">{share} %</b></span>
	{/each}
</span>

<style>
	.rungs {
		display: flex;
		gap: 2px;
		width: 100%;
	}
	.rungs > span {
		display: grid;
		min-width: 3.2rem;
	}
	i {
		height: 0.6rem;
		border: 1px solid var(--hair-strong);
	}
	.was i {
		background: color-mix(in oklab, var(--verdigris) 45%, transparent);
	}
	.is i {
		background: var(--blue);
	}
	.halted .is i {
		background: var(--wax);
	}
	b {
		font-size: var(--text-tiny);
		font-weight: 400;
		color: var(--ink-soft);
		text-align: right;
	}
	.is b {
		font-weight: 700;
		color: var(--ink);
	}
</style>
