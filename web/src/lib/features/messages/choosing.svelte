<!-- When one is mailed of what, in which hours; administrators say what everybody is told of. -->
<script lang="ts">
	import { isZone } from '$lib/time/time';
	import { choosing as say, KINDS } from '$lib/words/messages';
	import { fields } from '$lib/words/set-up';
	import type { Kind, Timing } from '$lib/api/client';
	import Field from '$lib/features/set-up/field.svelte';
	import { Choosing } from './choices.svelte';
	import GroupChoices from './group-choices.svelte';

	const WALL = '([01][0-9]|2[0-3]):[0-5][0-9]';
	const choosing = new Choosing();
	choosing.follow();
	const own = $derived(choosing.found);
	const order = Object.keys(KINDS);
	const kinds = $derived([...(own?.kinds ?? [])].sort((a, b) => order.indexOf(a.kind) - order.indexOf(b.kind)));
	const timings = Object.entries(say.timings) as [Timing, string][];
	const fault = $derived(Object.values(choosing.faults)[0] ?? '');
</script>

{#if own}
	<form class="form" onsubmit={(event) => (event.preventDefault(), void choosing.save())}>
		<p class="soft">{own.mailed ? say.goesTo(own.address) : say.noMail}</p>
		<fieldset>
			<Field label={say.quietFrom}>{#snippet children({ id })}<input {id} class="field" placeholder="20:00" pattern={WALL} bind:value={choosing.from} />{/snippet}</Field>
			<Field label={say.quietUntil} hint={say.quietHint}>{#snippet children({ id })}<input {id} class="field" placeholder="07:00" pattern={WALL} bind:value={choosing.until} />{/snippet}</Field>
			<Field label={say.gatheredAt} hint={say.gatheredHint}>{#snippet children({ id })}<input {id} class="field" placeholder="08:30, 13:30" pattern="\d\d:\d\d([,\s]+\d\d:\d\d)*" bind:value={choosing.at} />{/snippet}</Field>
			<Field label={say.zone} check={(text) => (isZone(text) ? '' : fields.noZone)}>{#snippet children({ id })}<input {id} class="field" placeholder={own.zone} bind:value={choosing.zone} />{/snippet}</Field>
		</fieldset>
		<table>
			<thead><tr><th>{say.kind}</th><th>{say.when}</th>{#if choosing.mayChange}<th>{say.everybody}</th>{/if}</tr></thead>
			<tbody>
				{#each kinds as one (one.kind)}
					<tr>
						<td>{KINDS[one.kind]}</td>
						<td>
							<select class="field" aria-label={KINDS[one.kind]} value={choosing.mail[one.kind] ?? ''} onchange={(event) => choosing.choose(one.kind as Kind, event.currentTarget.value as Timing)}>
								<option value="">{say.otherwise(say.timings[one.otherwise])}</option>
								{#each timings as [timing, name] (timing)}<option value={timing} disabled={one.insisted && timing === 'never'}>{name}</option>{/each}
							</select>
							{#if one.insisted}<span class="soft">{say.insisted}</span>{/if}
						</td>
						{#if choosing.mayChange}
							<td><input type="checkbox" aria-label="{say.everybody}: {KINDS[one.kind]}" checked={one.insisted} disabled={choosing.busy} onchange={(event) => choosing.insist(one.kind, event.currentTarget.checked)} /></td>
						{/if}
					</tr>
				{/each}
			</tbody>
		</table>
		{#if choosing.refused}<p class="refused" role="alert">{choosing.refused} {fault}</p>{/if}
		{#if choosing.saved}<p role="status">{say.saved}</p>{/if}
		<div class="acts"><button class="button main" disabled={choosing.busy}>{say.save}</button></div>
	</form>
	{#if choosing.mayChange}<GroupChoices />{/if}
{:else if choosing.failed}<p class="refused" role="alert">{choosing.failed}</p>{/if}

<style>
	table {
		border-collapse: collapse;
	}
	th {
		text-align: left;
		font-weight: 600;
	}
	th,
	td {
		padding: 0.3rem 1rem 0.3rem 0;
		border-bottom: 1px solid var(--hair);
	}
	select {
		width: 15rem;
		max-width: 100%;
	}
	@media (max-width: 520px) {
		select {
			width: 11rem;
		}
	}
</style>
