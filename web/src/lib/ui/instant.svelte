<!-- An instant as it is written everywhere; the arrows move it by an hour, with Shift by a day. -->
<script lang="ts">
	import { HOUR } from '$lib/time/time';
	import { read, written } from '$lib/time/written';
	import { instants as say, unreadable } from '$lib/words/common';

	type Props = {
		/** Milliseconds; null where nothing, or nothing readable, is written. */
		at: number | null;
		/** The IANA zone it is written in. */
		zone: string;
		id?: string;
		required?: boolean;
		/** Whether what is wrong with it is said here; not, where its form says it. */
		told?: boolean;
		onchange?: (at: number) => void;
	};
	let { at = $bindable(), zone, id, required = false, told = true, onchange }: Props = $props();

	const about = $props.id();
	const now = Date.now();
	/** What is being typed; null once it is read. */
	let typed = $state<string | null>(null);
	const wrong = $derived(typed ? unreadable(typed, zone, now) : '');

	function take(text: string) {
		typed = text;
		const found = read(text, zone, now);
		at = typeof found === 'number' ? found : null;
		if (at !== null) onchange?.(at);
	}
	function keys(event: KeyboardEvent) {
		if ((event.key !== 'ArrowUp' && event.key !== 'ArrowDown') || at === null) return;
		event.preventDefault();
		at += (event.key === 'ArrowUp' ? 1 : -1) * (event.shiftKey ? 24 * HOUR : HOUR);
		typed = null;
		onchange?.(at);
	}
	/** The browser holds back a form with a field that is not sound. */
	const sound = (field: HTMLInputElement) => field.setCustomValidity(wrong);
</script>

<span class="instant">
	<input {id} class="field" autocomplete="off" spellcheck="false" {required} title={say.keys} placeholder={written(now, zone, now)} value={typed ?? (at === null ? '' : written(at, zone, now))} aria-invalid={wrong !== '' || undefined} aria-describedby={wrong && told ? about : undefined} {@attach sound} oninput={(event) => take(event.currentTarget.value)} onblur={() => wrong || (typed = null)} onkeydown={keys} />
	{#if wrong && told}<span class="about fault" id={about}>{wrong}</span>{/if}
</span>

<style>
	.instant {
		display: inline-grid;
		min-width: 11.5rem;
		width: 100%;
		row-gap: 3px;
	}
</style>
