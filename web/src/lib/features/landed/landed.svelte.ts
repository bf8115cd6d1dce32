// One promotion after it has landed: who says how it is, and an incident that somebody reports.
import { api, data, saying, type Schemas } from '$lib/api/client';
import { Loader } from '$lib/state/loader.svelte';

export class LandedState extends Loader<Schemas['SignOffView'] | null> {
	signOff = $state.raw<Schemas['SignOffView'] | null>(null);
	comment = $state('');
	ticket = $state('');
	refused = $state('');
	busy = $state(false);

	constructor(private readonly number: () => number) {
		super(
			() => data(api.GET('/api/promotions/{number}/sign-off', { params: { path: { number: number() } } })),
			(found) => (this.signOff = found)
		);
	}

	confirm = (): Promise<boolean> => this.#say((given) => api.POST('/api/promotions/{number}/confirm', { ...given, body: { comment: this.comment.trim() } }));

	closeWithIssues = (): Promise<boolean> =>
		this.#say((given) => api.POST('/api/promotions/{number}/issues', { ...given, body: { comment: this.comment.trim(), ticket: this.ticket.trim() || null } }));

	/** Report that something goes wrong there; whether it was taken. */
	report = (service: string, environment: string, reason: string): Promise<boolean> => this.#say(() => api.POST('/api/incidents', { body: { service, environment, reason } }));

	async #say(act: (given: { params: { path: { number: number } } }) => Parameters<typeof data>[0]): Promise<boolean> {
		if (this.busy) return false;
		this.busy = true;
		this.refused = '';
		try {
			await data(act({ params: { path: { number: this.number() } } }));
			this.comment = this.ticket = '';
			return true;
		} catch (error) {
			this.refused = saying(error);
			return false;
		} finally {
			this.busy = false;
			await this.load();
		}
	}
}
