// One promotion's file, and the decisions one can take on it.
import { api, data, saying, type Dossier } from '$lib/api/client';
import { Loader } from '$lib/state/loader.svelte';
import { tellApproved } from './approved';

export type Act = 'approve' | 'turn-back' | 'retract' | 'withdraw' | 'depart' | 'accept' | 'cancel' | 'urgent' | 'revoke' | 'end-landed' | 'end-failed';
type Doing = Act | 'waive' | 'reschedule' | 'exchange' | 'ask-again';

export class DossierState extends Loader<Dossier> {
	file = $state<Dossier | null>(null);
	refused = $state('');
	busy = $state<Doing | null>(null);
	comment = $state('');

	constructor(private readonly number: () => number) {
		super(
			() => data(api.GET('/api/promotions/{number}/dossier', { params: { path: { number: number() } } })),
			(file) => (this.file = file)
		);
	}

	askWaiver(rule: string, asked: { reason: string; until: string }): Promise<boolean> {
		const path = { number: this.number() };
		return this.#decide('waive', (shown) => data(api.POST('/api/promotions/{number}/waivers', { params: { path }, body: { rule, shown, ...asked } })));
	}

	/** Grant the waiver of a rule that was asked for then: it is the one that is shown. */
	grantWaiver(rule: string, asked_at: string): Promise<boolean> {
		const [path, comment] = [{ number: this.number(), rule }, this.comment.trim()];
		return this.#decide('waive', () => data(api.POST('/api/promotions/{number}/waivers/{rule}/grant', { params: { path }, body: { asked_at, comment } })));
	}

	revokeWaiver(rule: string): Promise<boolean> {
		const [path, comment] = [{ number: this.number(), rule }, this.comment.trim()];
		return this.#decide('waive', () => data(api.POST('/api/promotions/{number}/waivers/{rule}/revoke', { params: { path }, body: { comment } })));
	}

	/** Take a decision on exactly what is shown; what was typed stays if it is refused. */
	async act(act: Act): Promise<void> {
		const params = { path: { number: this.number() } };
		const comment = this.comment.trim();
		const row = this.file?.row;
		const done = await this.#decide(act, async (shown) => {
			if (act === 'approve') await data(api.POST('/api/promotions/{number}/approve', { params, body: { shown, comment } }));
			else if (act === 'turn-back') await data(api.POST('/api/promotions/{number}/turn-back', { params, body: { shown, comment } }));
			else if (act === 'retract') await data(api.POST('/api/promotions/{number}/retract', { params, body: { comment } }));
			else if (act === 'withdraw') await data(api.POST('/api/promotions/{number}/withdraw', { params, body: { comment } }));
			else if (act === 'accept') await data(api.POST('/api/promotions/{number}/accept', { params, body: { landed: this.file?.landed?.digest ?? '', comment } }));
			else if (act === 'cancel') await data(api.POST('/api/promotions/{number}/cancel', { params, body: { comment } }));
			else if (act === 'end-failed' || act === 'end-landed') await data(api.POST('/api/promotions/{number}/end', { params, body: { how: act === 'end-landed' ? 'landed' : 'failed', comment } }));
			else if (act === 'urgent') await data(api.POST('/api/promotions/{number}/urgent', { params, body: { comment } }));
			else if (act === 'revoke') await data(api.POST('/api/promotions/{number}/clearance/revoke', { params, body: { comment } }));
			else await data(api.POST('/api/promotions/{number}/depart', { params }));
		});
		if (done && act === 'approve' && row) tellApproved([row]);
	}

	/** Put it off until an instant, or let it go as soon as it can. */
	async reschedule(to: string | null, comment: string): Promise<boolean> {
		const params = { path: { number: this.number() } };
		return this.#decide('reschedule', async () => {
			await data(api.POST('/api/promotions/{number}/reschedule', { params, body: { to, comment } }));
		});
	}

	/** Have an outside check asked again. */
	async askAgain(check: string): Promise<void> {
		const params = { path: { number: this.number(), check } };
		await this.#decide('ask-again', async () => {
			await data(api.POST('/api/promotions/{number}/checks/{check}/ask', { params }));
		});
	}

	/** Put another release of the service in its place. */
	async exchange(version: string, comment: string): Promise<boolean> {
		const params = { path: { number: this.number() } };
		return this.#decide('exchange', async () => {
			await data(api.POST('/api/promotions/{number}/exchange', { params, body: { version, comment } }));
		});
	}

	/** Read some more of the commits, or of the files, of a large change. */
	async more(what: 'commits' | 'files'): Promise<void> {
		const change = this.file?.change.value;
		if (!change) return;
		const query = { commits_from: change.commits.length, files_from: change.files.length };
		const page = await data(api.GET('/api/promotions/{number}/change', { params: { path: { number: this.number() }, query } }));
		if (what === 'commits') change.commits.push(...page.commits);
		else change.files.push(...page.files);
	}

	async #decide(act: Doing, send: (shown: Dossier['mine']['shown']) => Promise<unknown>): Promise<boolean> {
		if (!this.file || this.busy) return false;
		this.busy = act;
		this.refused = '';
		try {
			await send(this.file.mine.shown);
			this.comment = '';
			return true;
		} catch (error) {
			this.refused = saying(error);
			return false;
		} finally {
			this.busy = null;
			await this.load();
		}
	}
}
