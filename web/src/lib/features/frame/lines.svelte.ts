// The routes with their stations, as the frame read them last; views look at them as well.
import type { RouteLine, Station } from '$lib/api/client';

export const lines = $state<{ all: RouteLine[] }>({ all: [] });

/** Every station once, in the order of the routes. */
export function stations(): Station[] {
	const every = lines.all.flatMap((line) => line.stations);
	return every.filter((one, n) => every.findIndex((other) => other.id === one.id) === n);
}
