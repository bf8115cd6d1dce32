// One incident, and what people say to it.
import { api, data, saying, type Schemas } from '$lib/api/client';

export type Incident = Schemas['IncidentView'];
export type Word = 'acknowledge' | 'notes' | 'close';

export class IncidentState {
	text = $state('');
	refused = $state('');
	busy = $state(false);

	/** @param said is called once something was said */
	constructor(
		private readonly number: () => number,
		private readonly said: () => void
	) {}

	/** Everything that was written to it, once that was asked for. */
	all = $state.raw<Incident['notes'] | null>(null);

	async earlier(): Promise<void> {
		try {
			this.all = (await data(api.GET('/api/incidents/{incident}', { params: { path: { incident: this.number() } } }))).notes;
		} catch (error) {
			this.refused = saying(error);
		}
	}

	async say(word: Word): Promise<void> {
		if (this.busy) return;
		this.busy = true;
		this.refused = '';
		const params = { path: { incident: this.number() } };
		const body = { comment: this.text.trim() };
		try {
			if (word === 'acknowledge') await data(api.POST('/api/incidents/{incident}/acknowledge', { params }));
			else if (word === 'notes') await data(api.POST('/api/incidents/{incident}/notes', { params, body }));
			else await data(api.POST('/api/incidents/{incident}/close', { params, body }));
			if (word !== 'acknowledge') this.text = '';
			this.all = null;
			this.said();
		} catch (error) {
			this.refused = saying(error);
		} finally {
			this.busy = false;
		}
	}
}
