// Tells things that they come near what is on the screen; one observer for all of them.
const LOT = 10;
const SHORT = 50;
const MARGIN = '900px';
const waiting = new Map<Element, () => void>();
let observer: IntersectionObserver | undefined;

function seen(entries: IntersectionObserverEntry[]): void {
	for (const { isIntersecting, target } of entries) {
		if (!isIntersecting) continue;
		waiting.get(target)?.();
		forget(target);
	}
}

function forget(element: Element): void {
	waiting.delete(element);
	observer?.unobserve(element);
}

/** Whether a list is drawn whole wherever it stands, so that the browser's own search finds all of it. */
export function short(all: unknown[]): boolean {
	return all.length <= SHORT;
}

/** A long list in the lots that it is drawn in. */
export function lots<T>(all: T[]): T[][] {
	return Array.from({ length: Math.ceil(all.length / LOT) }, (_, n) => all.slice(n * LOT, (n + 1) * LOT));
}

/** An action: call back once, when the element comes near. */
export function near(element: Element, then: () => void): { destroy: () => void } {
	observer ??= new IntersectionObserver(seen, { rootMargin: MARGIN });
	waiting.set(element, then);
	observer.observe(element);
	return { destroy: () => forget(element) };
}
