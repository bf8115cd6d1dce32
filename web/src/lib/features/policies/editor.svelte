<!-- The source of a policy: keys offered from the schema, faults marked where they are. Loaded when needed. -->
<script lang="ts">
	import { autocompletion, type CompletionContext } from '@codemirror/autocomplete';
	import { defaultKeymap, history, historyKeymap } from '@codemirror/commands';
	import { yaml } from '@codemirror/lang-yaml';
	import { defaultHighlightStyle, syntaxHighlighting } from '@codemirror/language';
	import { setDiagnostics } from '@codemirror/lint';
	import { EditorState } from '@codemirror/state';
	import { drawSelection, EditorView, keymap, lineNumbers } from '@codemirror/view';
	import { editor as say } from '$lib/words/policies';
	import { untrack } from 'svelte';
	import { keysFor, kindAt, kinds, placeOf, placeOfRule } from './places';
	import type { Fault } from './writing.svelte';

	let {
		source,
		faults,
		rule,
		schema,
		readonly = false,
		onwrite
	}: {
		source: string;
		faults: Fault[];
		rule: string | null;
		schema: Parameters<typeof keysFor>[0];
		readonly?: boolean;
		onwrite: (source: string) => void;
	} = $props();

	let view: EditorView | undefined;

	function offered(context: CompletionContext) {
		const word = context.matchBefore(/[\w-]*/);
		if (!word || (word.from === word.to && !context.explicit)) return null;
		const line = context.state.doc.lineAt(context.pos).text.slice(0, word.from - context.state.doc.lineAt(context.pos).from);
		if (/kind:\s*$/.test(line)) return { from: word.from, options: kinds(schema).map((label) => ({ label, type: 'enum' })) };
		if (!/^[\s-]*$/.test(line)) return null;
		const kind = kindAt(context.state.doc.toString(), context.pos);
		return {
			from: word.from,
			options: keysFor(schema, kind).map(({ key, says }) => ({ label: key, apply: `${key}: `, info: says, type: 'property' }))
		};
	}

	/** Once: what is typed changes the source, which must not make another editor. */
	function attach(parent: HTMLElement) {
		view = untrack(() => made(parent));
		return () => view?.destroy();
	}

	function made(parent: HTMLElement): EditorView {
		return new EditorView({
			parent,
			state: EditorState.create({
				doc: source,
				extensions: [
					lineNumbers(),
					history(),
					drawSelection(),
					yaml(),
					syntaxHighlighting(defaultHighlightStyle),
					autocompletion({ override: [offered] }),
					keymap.of([...defaultKeymap, ...historyKeymap]),
					EditorView.lineWrapping,
					EditorState.readOnly.of(readonly),
					EditorView.contentAttributes.of({ 'aria-label': say.source, tabindex: '0' }),
					EditorView.updateListener.of((update) => {
						if (update.docChanged) onwrite(update.state.doc.toString());
					})
				]
			})
		});
	}

	$effect(() => {
		if (view && source !== view.state.doc.toString()) view.dispatch({ changes: { from: 0, to: view.state.doc.length, insert: source } });
	});

	$effect(() => {
		if (!view) return;
		const text = view.state.doc.toString();
		const marks = faults.map((fault) => ({ ...placeOf(text, fault.pointer), severity: 'error' as const, message: fault.reason }));
		view.dispatch(setDiagnostics(view.state, marks));
	});

	$effect(() => {
		const place = rule && view ? placeOfRule(view.state.doc.toString(), rule) : null;
		if (!place || !view) return;
		view.dispatch({ selection: { anchor: place.from, head: place.to }, effects: EditorView.scrollIntoView(place.from, { y: 'start' }) });
		view.focus();
	});
</script>

<div class="editor" {@attach attach}></div>

<style>
	.editor {
		height: 100%;
		min-height: 0;
		border: 1px solid var(--hair-strong);
	}
	.editor :global(.cm-editor) {
		height: 100%;
		font-size: var(--text-small);
	}
	.editor :global(.cm-focused) {
		outline: 2px solid var(--blue);
	}
	.editor :global(.cm-scroller) {
		font-family: var(--mono);
		overflow: auto;
	}
	.editor :global(.cm-gutters) {
		background: var(--paper-deep);
		color: var(--ink-soft);
		border-right: 1px solid var(--hair);
	}
	.editor :global(.cm-content) {
		caret-color: var(--ink);
	}
	.editor :global(.cm-content span) {
		color: inherit;
	}
	.editor :global(.cm-cursor) {
		border-left-color: var(--ink);
	}
	.editor :global(.cm-selectionBackground),
	.editor :global(.cm-focused > .cm-scroller > .cm-selectionLayer .cm-selectionBackground) {
		background: var(--hair);
	}
	.editor :global(.cm-tooltip) {
		background: var(--paper);
		border: 1px solid var(--hair-strong);
		color: var(--ink);
	}
	.editor :global(.cm-tooltip-autocomplete ul li[aria-selected]) {
		background: var(--ink);
		color: var(--paper);
	}
	.editor :global(.cm-lintRange-error) {
		background: none;
		text-decoration: underline wavy var(--wax);
	}
	.editor :global(.cm-diagnostic-error) {
		border-left-color: var(--wax);
	}
</style>
