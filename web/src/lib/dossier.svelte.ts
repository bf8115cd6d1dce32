// One promotion's file, and the decisions one can take on it.
import { api, data, saying, type Dossier } from './api/client';

export type Act = 'approve' | 'turn-back' | 'retract' | 'withdraw' | 'depart';

export class DossierState {
	file = $state<Dossier | null>(null);
	failed = $state('');
	refused = $state('');
	busy = $state<Act | null>(null);
	comment = $state('');
	#asked = 0;

	constructor(private readonly number: () => number) {}

	async load(): Promise<void> {
		const asked = ++this.#asked;
		try {
			const number = this.number();
			const file = await data(api.GET('/api/promotions/{number}/dossier', { params: { path: { number } } }));
			if (asked !== this.#asked) return;
			this.file = file;
			this.failed = '';
		} catch (error) {
			if (asked === this.#asked) this.failed = saying(error);
		}
	}

	/** Take a decision on exactly what is shown; what was typed stays if it is refused. */
	async act(act: Act): Promise<void> {
		if (!this.file || this.busy) return;
		const params = { path: { number: this.number() } };
		const comment = this.comment.trim();
		const shown = this.file.mine.shown;
		this.busy = act;
		this.refused = '';
		try {
			if (act === 'approve') await data(api.POST('/api/promotions/{number}/approve', { params, body: { shown, comment } }));
			else if (act === 'turn-back') await data(api.POST('/api/promotions/{number}/turn-back', { params, body: { shown, comment } }));
			else if (act === 'retract') await data(api.POST('/api/promotions/{number}/retract', { params, body: { comment } }));
			else if (act === 'withdraw') await data(api.POST('/api/promotions/{number}/withdraw', { params, body: { comment } }));
			else await data(api.POST('/api/promotions/{number}/depart', { params }));
			this.comment = '';
		} catch (error) {
			this.refused = saying(error);
		} finally {
			this.busy = null;
			await this.load();
		}
	}
}
