// Single keys are for the view, unless somebody is typing or looks at a dialog.
export function busyElsewhere(event: KeyboardEvent): boolean {
	if (event.ctrlKey || event.metaKey || event.altKey || document.querySelector('dialog[open]')) return true;
	return event.target instanceof HTMLElement && event.target.closest('input, textarea, select, [contenteditable="true"]') !== null;
}
