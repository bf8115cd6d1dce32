<!-- Which monitors are drawn: those of the environment's policy, and those of others. -->
<script lang="ts">
	import { goto } from '$app/navigation';
	import { page } from '$app/state';
	import { charts as say } from '$lib/words/estate';
	import type { Schemas } from '$lib/api/client';
	let { monitors, drawn }: { monitors: Schemas['MonitorName'][]; drawn: string[] } = $props();

	function toggle(name: string) {
		const names = drawn.includes(name) ? drawn.filter((one) => one !== name) : [...drawn, name];
		const url = new URL(page.url);
		url.searchParams.delete('draw');
		for (const one of names) url.searchParams.append('draw', one);
		void goto(url, { keepFocus: true, noScroll: true, replaceState: true });
	}
</script>

{#if monitors.length > 1}
	<details>
		<summary>{say.choose}</summary>
		<ul role="group" aria-label={say.drawn}>
			{#each monitors as one (one.name)}<li><label><input type="checkbox" checked={drawn.includes(one.name)} disabled={drawn.length === 1 && drawn.includes(one.name)} onchange={() => toggle(one.name)} /> {one.name} <span class="soft">{one.own ? say.own : say.others}</span></label></li>{/each}
		</ul>
	</details>
{/if}

<style>
	details {
		position: relative;
		font-size: var(--text-small);
	}
	summary {
		cursor: pointer;
		color: var(--ink-soft);
	}
	ul {
		position: absolute;
		right: 0;
		z-index: 3;
		width: max-content;
		max-width: 22rem;
		padding: 0.5rem 0.8rem;
		border: 1.5px solid var(--ink);
		background: var(--paper);
	}
	li {
		padding: 2px 0;
	}
</style>
