<!-- One incident on the Desk: what, where, since when, who is at it; notes and what to do about it. -->
<script lang="ts">
	import OpenThere from '$lib/features/frame/open-there.svelte';
	import Stamp from '$lib/ui/stamp.svelte';
	import { session } from '$lib/state/session.svelte';
	import { when } from '$lib/time/time';
	import { incidents as say } from '$lib/words/landed';
	import { IncidentState, type Incident } from './incident.svelte';
	let { incident, zone, onsaid }: { incident: Incident; zone: string; onsaid: () => void } = $props();

	const asked = new IncidentState(
		() => incident.number,
		() => onsaid()
	);
	const empty = $derived(asked.busy || asked.text.trim().length === 0);
	const id = $props.id();
</script>

<li data-incident={incident.number}>
	<div class="row">
		<span><Stamp says={say.stamp(Boolean(incident.over_at))} /></span>
		<span class="what"><b>{incident.service.name}</b><span class="soft">{incident.environment.name}</span></span>
		<span class="why">
			<span>{incident.what}</span>
			<span class="soft">{incident.says}{#if incident.landing !== null && incident.landing !== undefined}{' '}{say.after}{' '}<a class="underline" href="/promotion/{incident.landing}">{incident.landing_name}</a>.{/if}</span>
		</span>
		<span class="acts">
			{#if !incident.acknowledged && session.may('comment')}<button class="button" disabled={asked.busy} onclick={() => asked.say('acknowledge')}>{say.atIt}</button>{/if}
			{#if asked.refused}<span class="refused" role="alert">{asked.refused}</span>{/if}
		</span>
	</div>
	<details>
		<summary>{say.more}{#if incident.notes.length}{' '}<span class="soft">{incident.notes.length + incident.earlier_notes}</span>{/if}</summary>
		{#if incident.earlier_notes && !asked.all}<button class="underline" onclick={() => asked.earlier()}>{say.earlier(incident.earlier_notes)}</button>{/if}
		<ul aria-label={say.notes}>{#each asked.all ?? incident.notes as note}<li><b>{note.by}</b> <span class="soft">{when(new Date(note.at), zone, new Date())}</span> {note.text}</li>{/each}</ul>
		{#if session.may('comment')}
			<label for="{id}-note">{say.note}</label>
			<textarea id="{id}-note" class="field" rows="2" maxlength="2000" bind:value={asked.text}></textarea>
			<p class="acts">
				<button class="button" disabled={empty} onclick={() => asked.say('notes')}>{say.write}</button>
				{#if incident.may_close}<button class="button" disabled={empty} onclick={() => asked.say('close')}>{say.close}</button><span class="soft">{say.closeHint}</span>{:else if session.may('decide')}<span class="soft">{say.othersClose}</span>{/if}
			</p>
		{/if}
		<p class="acts">
			{#if session.may('request')}<a class="underline" href="/ask?service={incident.service.id}&to={incident.environment.id}&kind=rollback">{say.goBack}</a>{/if}
			<OpenThere environment={incident.environment.id} service={incident.service.id} />
			<a class="underline" href="/desk?at={incident.environment.id}&close=now">{say.shut(incident.environment.name)}</a>
		</p>
	</details>
</li>

<style>
	li[data-incident] {
		padding: 7px 0;
		border-bottom: 1px solid var(--hair);
	}
	.row {
		display: grid;
		grid-template-columns: 92px 190px minmax(220px, 1fr) auto;
		column-gap: 18px;
		align-items: center;
	}
	.what,
	.why {
		display: flex;
		flex-direction: column;
		min-width: 0;
		line-height: 1.3;
		overflow-wrap: anywhere;
	}
	.soft {
		font-size: var(--text-small);
	}
	.acts {
		display: flex;
		flex-wrap: wrap;
		gap: 0.5rem 1rem;
		align-items: center;
		padding: 0.2rem 0;
	}
	details {
		padding-left: 318px;
	}
	summary {
		font-size: var(--text-small);
		cursor: pointer;
	}
	details ul {
		padding: 0.3rem 0;
	}
	label {
		display: block;
		font-weight: 600;
	}
	textarea {
		max-width: 40rem;
	}
	@media (max-width: 760px) {
		.row {
			grid-template-columns: minmax(0, 1fr);
			row-gap: 4px;
		}
		details {
			padding-left: 0;
		}
	}
</style>
