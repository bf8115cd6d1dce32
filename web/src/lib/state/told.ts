// What one did just now, said until one has read it, with the way to take it back.
import { createToaster } from '@skeletonlabs/skeleton-svelte';

/** Long enough to read and to reach for; it waits while the pointer or the keyboard is on it. */
const LASTS = 10_000;
export const toaster = createToaster({ placement: 'bottom-end', duration: LASTS, max: 3 });

export function tell(title: string, back?: { label: string; onClick: () => void }): void {
	toaster.create({ title, closable: true, ...(back ? { action: back } : {}) });
}
