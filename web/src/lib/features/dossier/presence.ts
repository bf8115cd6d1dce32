// Says that one has a promotion open, for as long as one has.
import { api, data } from '$lib/api/client';

const AGAIN_MS = 20_000;

/** Begin to look; gives how to look away. Who cannot say so looks all the same. */
export function look(number: number): () => void {
	const params = { path: { number } };
	const say = () => {
		if (document.visibilityState === 'visible') data(api.PUT('/api/promotions/{number}/looking', { params })).catch(() => undefined);
	};
	say();
	const again = setInterval(say, AGAIN_MS);
	return () => {
		clearInterval(again);
		data(api.DELETE('/api/promotions/{number}/looking', { params, keepalive: true })).catch(() => undefined);
	};
}
