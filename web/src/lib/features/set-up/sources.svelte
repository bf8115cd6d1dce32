<!-- The sources with their state; each opens to its settings, which can be tried before they are kept. -->
<script lang="ts">
	import { sure } from '$lib/state/asked.svelte';
	import { api, data, type Source, type ConnectionTest } from '$lib/api/client';
	import { live } from '$lib/state/live.svelte';
	import { span } from '$lib/time/time';
	import { capital } from '$lib/words';
	import Back from '$lib/ui/back.svelte';
	import Field from './field.svelte';
	import { properties, sent, shown } from '$lib/api/json-schema';
	import { Typed } from '$lib/state/typed.svelte';
	import { common } from '$lib/words/common';
	import { sources as say } from '$lib/words/outside';
	import { Setting } from './setting.svelte';

	type Kind = Source['kind'];
	const setting = new Setting(async () => ({
		kinds: await data(api.GET('/api/source-kinds')),
		sources: await data(api.GET('/api/sources'))
	}));
	let open = $state<{ id: string; kind: Kind; anew: boolean } | null>(null);
	let title = $state('');
	let secret = $state('');
	let written = $state<Record<string, string>>({});
	let ask = $state('');
	let trial = $state<ConnectionTest | null>(null);
	/** As late as what is shown of them. */
	const now = $derived(setting.found ? Date.now() : 0);

	const fields = $derived(open && setting.found ? properties(setting.found.kinds[open.kind] ?? {}, say.labels) : []);
	/** Its secret is never held. */
	const typed = new Typed(
		() => open && `source-${open.anew ? `new-${open.kind}` : open.id}`,
		() => ({ id: open?.id ?? '', title, written: $state.snapshot(written), ask }),
		(was) => {
			if (open?.anew) open.id = was.id;
			({ title, written, ask } = was);
		}
	);
	const known = $derived(setting.found?.sources.find((one) => one.id === open?.id));

	setting.follow(() => live.version);

	function edit(source: Source) {
		if (open?.id === source.id) return void (open = null);
		begin(source.id, source.kind, false);
		title = source.title;
		for (const one of fields) if (one.name in source.settings) written[one.name] = shown(source.settings[one.name]);
	}

	function begin(id: string, kind: Kind, anew: boolean) {
		open = { id, kind, anew };
		title = anew ? '' : title;
		secret = ask = '';
		trial = null;
		setting.refused = '';
		setting.faults = {};
		written = Object.fromEntries(fields.map((one) => [one.name, one.initial]));
	}

	async function attempt() {
		if (!open) return;
		const body = { kind: open.kind, settings: sent(fields, written), secret: secret || null, source: known ? open.id : null, ask };
		trial = (await setting.send(() => data(api.POST('/api/source-trials', { body }))))?.value ?? null;
	}

	async function keep() {
		if (!open) return;
		const params = { path: { name: open.id }, header: known ? { 'If-Match': `"${known.version}"` } : {} };
		const body = { kind: open.kind, title, settings: sent(fields, written), secret: secret || null };
		if (await setting.send(() => data(api.PUT('/api/sources/{name}', { params, body })))) open = null;
	}

	async function drop(source: Source) {
		if (!(await sure(say.takeAway(source.title), common.takeItAway))) return;
		const params = { path: { name: source.id } };
		if (await setting.send(() => data(api.DELETE('/api/sources/{name}', { params })))) open = null;
	}

	function ago(at: string): string {
		const ms = now - Date.parse(at);
		return ms < 60_000 ? say.justNow : say.ago(span(ms));
	}

	function standing(source: Source): string {
		if (source.failing_since) return say.failing(ago(source.failing_since), source.reason ?? '');
		return source.read_at ? say.readWell(ago(source.read_at)) : say.notRead;
	}
</script>

{#if setting.found}
	<ul class="lines">
		{#each setting.found.sources as source (source.id)}
			<li>
				<button class="line" aria-expanded={open?.id === source.id} onclick={() => edit(source)}>
					<span><b>{capital(source.title)}</b><span class="soft kind">{say.kinds[source.kind].title}</span></span>
					<span class="address mono">{source.settings.address}</span>
					<span class="state" data-failing={source.failing_since !== null}>{standing(source)}</span>
				</button>
				{#if open?.id === source.id}{@render form()}{/if}
			</li>
		{:else}
			<li class="soft empty">{say.none}</li>
		{/each}
	</ul>
	{#if setting.mayChange}
		<div class="anew">
			<span>{say.setUpAnother}</span>
			{#each Object.entries(say.kinds) as [kind, { title: name }] (kind)}
				<button class="button quiet" onclick={() => begin('', kind as Kind, true)}>{name}</button>
			{/each}
		</div>
		{#if open?.anew}{@render form()}{/if}
	{:else}
		<p class="soft">{common.administratorsOnly}</p>
	{/if}
{:else if setting.failed}
	<p role="alert">{setting.failed}</p>
{/if}

{#snippet form()}
	{#if open}
		<form class="form" onsubmit={(event) => (event.preventDefault(), void keep())}>
			<fieldset disabled={!setting.mayChange}>
				<legend class="label">{say.kinds[open.kind].title}</legend>
				<Field label={common.title} hint={common.titleHint} fault={setting.faults['/title']}>
					{#snippet children({ id })}<input {id} class="field" required maxlength="80" bind:value={title} />{/snippet}
				</Field>
				{#if open.anew}
					<Field label={common.name} hint={say.nameHint} fault={setting.faults['/name']}>
						{#snippet children({ id })}<input {id} class="field" required pattern="[a-z0-9][a-z0-9\-]*" bind:value={open!.id} />{/snippet}
					</Field>
				{/if}
				<Field label={say.secret} hint={known?.has_secret ? say.secretKept : say.secretHint}>
					{#snippet children({ id })}<input {id} class="field" type="password" autocomplete="off" bind:value={secret} />{/snippet}
				</Field>
				{#each fields as one (one.name)}
					<Field label={one.label} hint={one.hint} fault={setting.faults[`/settings/${one.name}`]} wide={one.name === 'address'}>
						{#snippet children({ id })}
							{#if one.kind === 'yes'}
								<select {id} class="field" bind:value={written[one.name]}><option value="false">{common.no}</option><option value="true">{common.yes}</option></select>
							{:else}
								<input {id} class="field" class:mono={one.kind !== 'number'} required={one.needed} inputmode={one.kind === 'number' ? 'decimal' : undefined} bind:value={written[one.name]} />
							{/if}
						{/snippet}
					</Field>
				{/each}
				<div class="try">
					{#if say.kinds[open.kind].asks}
						<Field label={say.askIt} hint={say.kinds[open.kind].asks} fault={setting.faults['/ask']}>
							{#snippet children({ id })}<input {id} class="field" bind:value={ask} />{/snippet}
						</Field>
					{/if}
					<button type="button" class="button" disabled={setting.busy} onclick={attempt}>{say.tryIt}</button>
					<div class="came" aria-live="polite">
						{#if trial}
							<p><b>{trial.works ? say.works : say.fails(trial.says)}</b> <span class="soft">{say.ms(trial.milliseconds)}</span></p>
							<dl>{#each trial.lines as line, n (n)}<dt>{line.label}</dt><dd>{line.value}</dd>{/each}</dl>
						{/if}
					</div>
				</div>
			</fieldset>
			<Back {typed} />
			{#if setting.refused}<p class="refused" role="alert">{setting.refused}</p>{/if}
			{#if setting.mayChange}
				<div class="acts">
					<button class="button main" disabled={setting.busy}>{known ? say.keepTheChanges : say.setItUp}</button>
					<button type="button" class="button quiet" onclick={() => (open = null)}>{common.leaveIt}</button>
					{#if known}<button type="button" class="button grave" onclick={() => drop(known)}>{common.takeItAway}</button>{/if}
				</div>
			{/if}
		</form>
	{/if}
{/snippet}

<style>
	.line {
		--line: 250px minmax(0, 1fr) minmax(220px, auto);
	}
	b {
		font-weight: 600;
	}
	.kind {
		display: block;
		font-size: 12.5px;
	}
	.address {
		overflow: hidden;
		text-overflow: ellipsis;
		white-space: nowrap;
	}
	.state {
		text-align: right;
	}
	.state[data-failing='true'] {
		color: var(--wax);
		font-weight: 600;
	}
	.anew {
		display: flex;
		flex-wrap: wrap;
		align-items: center;
		gap: 0.5rem;
		padding: 0.8rem 0;
	}
	.try {
		grid-column: 1 / -1;
		display: grid;
		grid-template-columns: minmax(0, 320px) auto minmax(0, 1fr);
		gap: 0.8rem;
		align-items: start;
		padding: 0.6rem 0;
		border-top: 1px solid var(--hair);
	}
	.try > .button {
		margin-top: 1.3rem;
	}
	.came dl {
		display: grid;
		grid-template-columns: auto minmax(0, 1fr);
		column-gap: 0.8rem;
		font-size: 13px;
	}
	.came dd {
		overflow-wrap: anywhere;
	}
	.came dt {
		color: var(--ink-soft);
	}
	@media (max-width: 900px) {
		.line,
		.try {
			grid-template-columns: minmax(0, 1fr);
			gap: 0.2rem;
		}
		.state {
			text-align: left;
		}
	}
</style>
