// The routes with their stations, as the frame read them last; views look at them as well.
import type { RouteLine } from '$lib/api/client';

export const lines = $state<{ all: RouteLine[] }>({ all: [] });
