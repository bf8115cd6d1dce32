<!-- The steps of what goes in as rungs, what it waits for, and what a person may say to it. -->
<script lang="ts">
	import type { CourseState } from './course.svelte';
	import { clock } from '$lib/time/time';
	import { course as say } from '$lib/words/course';
	import MonitorOf from './monitor.svelte';
	let { state: going, zone }: { state: CourseState; zone: string } = $props();

	const course = $derived(going.course!);
	const rungs = $derived([...course.rungs].reverse());
	const next = $derived(course.rungs.find((rung) => rung.stands === 'comes')?.share ?? null);
	const still = $derived(going.busy !== null || going.reason.trim().length === 0);
	const id = $props.id();
</script>

<h2>{course.ended ? say.ended : say.goingIn}</h2>
<p class="effect" class:stands={course.halted}>{course.because}</p>
<ol aria-label={course.ended ? say.ended : say.goingIn}>
	{#each rungs as rung (rung.share)}
		<li class={rung.stands} aria-current={rung.stands === 'is' ? 'step' : undefined}>
			<span class="share mono">{rung.share} %</span>
			<span class="bar"><span style:width="{rung.share}%"></span></span>
			<span class="soft">
				{rung.hold ? say.hold(rung.hold) : say.last}{#if rung.by_person}, {say.byPerson}{/if}{#if rung.until}, {say.until(clock(new Date(rung.until), zone))}{/if}
			</span>
		</li>
	{/each}
</ol>
{#if !course.ended}<p class="soft">{say.reported(course.ordered, course.reported ?? null)} {say.whatABreachDoes(course.on_breach)}</p>{/if}

{#if course.may_decide}
	<label for="{id}-reason">{say.reason} <span class="soft">{say.needed}</span></label>
	<textarea id="{id}-reason" class="field" rows="2" maxlength="2000" bind:value={going.reason}></textarea>
	{#if going.refused}<p class="refused" role="alert">{going.refused}</p>{/if}
	{#if !course.may_go_on}<p class="soft others">{say.othersGoOn}</p>{/if}
	<dl>
		{#if course.may_go_on}
			<div>
				<button class="button main" disabled={still} onclick={() => going.say('go-on')}>{say.goOn}</button>
				<span>{say.goOnHint(next, course.halted)}</span>
			</div>
		{/if}
		{#if !course.halted}
			<div><button class="button" disabled={still} onclick={() => going.say('halt')}>{say.halt}</button><span>{say.haltHint}</span></div>
		{/if}
		<div><button class="button grave" disabled={still} onclick={() => going.say('cancel')}>{say.orderBack}</button><span>{say.orderBackHint}</span></div>
	</dl>
{/if}

<h3 class="label">{say.monitors}</h3>
{#each course.monitors as monitor}<MonitorOf {monitor} {zone} />{:else}<p class="soft">{say.nothingWatches}</p>{/each}
{#if going.failed}<p class="refused">{going.failed}</p>{/if}

<style>
	.others {
		padding-top: 0.6rem;
	}
	.effect {
		padding: 0.5rem 0.7rem;
		border-left: 3px solid var(--blue);
		background: var(--wash);
		overflow-wrap: anywhere;
	}
	.effect.stands {
		border-left-color: var(--wax);
	}
	ol {
		padding: 0.7rem 0 0.4rem;
	}
	li {
		display: grid;
		grid-template-columns: 3.4rem 1fr minmax(8rem, auto);
		gap: 0.7rem;
		align-items: center;
		padding: 0.22rem 0;
		border-left: 2px solid var(--hair-strong);
		border-right: 2px solid var(--hair-strong);
	}
	.share {
		padding-left: 0.5rem;
		text-align: right;
	}
	li > .soft {
		padding-right: 0.6rem;
		font-size: var(--text-small);
	}
	.bar {
		height: 0.7rem;
		border-block: 1px solid var(--hair-strong);
	}
	.bar span {
		display: block;
		height: 100%;
	}
	.was .bar span {
		background: color-mix(in oklab, var(--verdigris) 45%, transparent);
	}
	.is .bar span {
		background: var(--blue);
	}
	.is .share {
		font-weight: 700;
	}
	.comes {
		color: var(--ink-soft);
	}
	label {
		display: block;
		margin-top: 0.6rem;
		font-weight: 600;
	}
	label .soft {
		font-weight: 400;
	}
	dl {
		display: grid;
		gap: 0.4rem;
		padding: 0.6rem 0;
	}
	dl div {
		display: grid;
		grid-template-columns: 8.2rem 1fr;
		align-items: center;
		gap: 0.8rem;
	}
	dl .button {
		justify-content: center;
	}
	dl span {
		font-size: var(--text-small);
		color: var(--ink-soft);
	}
</style>
