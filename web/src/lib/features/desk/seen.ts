// What somebody has seen of each promotion, kept on this machine from one visit of the Desk to the next.
const PLACE = 'dogana-seen-';

/** When each promotion had last changed as it was seen; null before the first visit. */
export function seenBy(person: string): Map<number, string> | null {
	const text = localStorage.getItem(PLACE + person);
	return text === null ? null : new Map(JSON.parse(text) as [number, string][]);
}

export function keepSeen(person: string, seen: Map<number, string>): void {
	localStorage.setItem(PLACE + person, JSON.stringify([...seen]));
}
