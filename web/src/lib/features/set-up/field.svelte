<!-- One field of a form: what it is for, and what is wrong with it as it is typed. -->
<script lang="ts">
	import { fields as say } from '$lib/words/set-up';
	import type { Snippet } from 'svelte';

	type Props = {
		label: string;
		hint?: string;
		/** What the server found wrong with it. */
		fault?: string;
		/** What is wrong with a text; an empty one for nothing. */
		check?: (text: string) => string;
		wide?: boolean;
		children: Snippet<[{ id: string }]>;
	};
	let { label, hint = '', fault = '', check, wide = false, children }: Props = $props();

	const id = $props.id();
	let box: HTMLElement;
	let typed = $state('');
	const wrong = $derived(fault || typed);

	$effect(() => {
		const control = box.querySelector(`[id="${id}"]`);
		if (wrong) control?.setAttribute('aria-invalid', 'true');
		else control?.removeAttribute('aria-invalid');
		if (wrong || hint) control?.setAttribute('aria-describedby', `${id}-about`);
	});

	/** What is wrong with it, in our words; that nothing stands in it only once it was left. */
	function look(event: Event) {
		const control = event.target;
		if (!(control instanceof HTMLInputElement || control instanceof HTMLSelectElement) || control.id !== id) return;
		control.setCustomValidity(control.value && check ? check(control.value) : '');
		const { validity } = control;
		if (validity.valid || (validity.valueMissing && event.type === 'input')) typed = '';
		else if (validity.customError) typed = control.validationMessage;
		else if (validity.valueMissing) typed = say.missing;
		else if (validity.typeMismatch) typed = control.type === 'email' ? say.noMail : say.noAddress;
		else if (validity.tooShort && control instanceof HTMLInputElement) typed = say.tooShort(control.minLength);
		else typed = hint || say.unlike;
	}

	/** Sent too early: the first that is wrong is where one goes on. */
	function refused(event: Event) {
		event.preventDefault();
		look(event);
		if (!document.activeElement?.matches(':invalid:not(form, fieldset)')) (event.target as HTMLElement).focus();
	}
</script>

<div class="one" class:wide bind:this={box} oninput={look} onfocusout={look} oninvalidcapture={refused}>
	<label for={id}>{label}</label>
	{@render children({ id })}
	{#if hint || wrong}<span id="{id}-about" class="about" class:fault={wrong}>{wrong || hint}</span>{/if}
</div>

<style>
	.one {
		display: grid;
		gap: 2px;
		align-content: start;
	}
	.wide {
		grid-column: 1 / -1;
	}
	label {
		font-weight: 600;
	}
</style>
