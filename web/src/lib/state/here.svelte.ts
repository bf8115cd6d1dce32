// The view one is at, with some of its address changed: one stays where one was on it.
import { goto } from '$app/navigation';
import { page } from '$app/state';
import { withThe } from './address';

export function here(changes: Record<string, string | null>): string {
	return withThe(page.url, changes);
}

export function put(changes: Record<string, string | null>): void {
	void goto(here(changes), { keepFocus: true, noScroll: true, replaceState: true });
}
