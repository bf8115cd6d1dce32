<!-- What a draft's monitors would have made of what went in step by step, on what was read of it then. -->
<script lang="ts">
	import type { Thresholds } from '$lib/api/client';
	import { session } from '$lib/state/session.svelte';
	import { when } from '$lib/time/time';
	import { thresholds as say } from '$lib/words/policies';
	let { courses, names }: { courses: Thresholds; names: Record<string, string> } = $props();

	type One = Thresholds['courses'][number];
	function told(one: One): string {
		if (one.stopped_at) return say.stoppedAt(one.share ?? null, when(new Date(one.stopped_at), session.zone, new Date()), one.monitor ?? '', one.says);
		return one.badly ? say.letIn : say.notRead(one.not_read);
	}
</script>

<h4>{say.heading}</h4>
{#if courses.of === 0}
	<p class="soft">{say.none}</p>
{:else}
	<p>{say.of(courses.of)} <b>{say.stopped(courses.stopped, courses.wrongly)}</b>{say.missed(courses.missed)}{courses.not_read ? ` ${say.unread(courses.not_read)}` : ''}</p>
	<ul>
		{#each courses.courses as one (one.number)}
			<li><a href="/promotion/{one.number}"><b>{names[one.number] ?? one.number}</b></a>{#if one.stopped_at && !one.badly}{' '}<b class="wrong">{say.wrongly}</b>{/if} <span class="soft">{told(one)}</span></li>
		{/each}
	</ul>
{/if}

<style>
	h4 {
		padding-top: 0.6rem;
		font-family: inherit;
		font-weight: 600;
		font-size: var(--text-note);
	}
	ul {
		padding: 0.3rem 0;
	}
</style>
