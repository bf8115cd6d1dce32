// Everything one looks at stands in the address; this is the address with some of it changed.
/** An address with some keys of its query put in place or, with null, taken away. */
export function withThe(url: URL, changes: Record<string, string | null>): string {
	const query = new URLSearchParams(url.searchParams);
	for (const [key, value] of Object.entries(changes)) {
		if (value) query.set(key, value);
		else query.delete(key);
	}
	return query.size ? `${url.pathname}?${query}` : url.pathname;
}
