// What a person asks for: one release, or several that cross together.
import { api, data, saying, type Schemas } from '$lib/api/client';

export interface Asking {
	service: string;
	version: string;
	to: string;
	kind: 'ordinary' | 'rollback' | 'backfill';
}

export class AskState {
	services = $state.raw<Record<string, Schemas['Service']>>({});
	places = $state.raw<Record<string, Schemas['Environment']>>({});
	routes = $state.raw<Record<string, Schemas['Route']>>({});
	versions = $state<Record<string, string[]>>({});
	lines = $state<Asking[]>([blank()]);
	note = $state('');
	title = $state('');
	busy = $state(false);
	refused = $state('');
	loaded = $state(false);
	readonly bundle = $derived(this.lines.length > 1);
	readonly whole = $derived(this.lines.every((one) => one.service && one.version && one.to) && (!this.bundle || this.title.trim() !== ''));

	async load(given: URLSearchParams): Promise<void> {
		try {
			[this.services, this.places, this.routes] = await Promise.all([data(api.GET('/api/services')), data(api.GET('/api/environments')), data(api.GET('/api/travel-routes'))]);
			this.loaded = true;
			const service = given.get('service');
			if (service && service in this.services) {
				const kind = (['rollback', 'backfill'] as const).find((one) => one === given.get('kind')) ?? 'ordinary';
				this.lines = [{ service, version: given.get('version') ?? '', to: given.get('to') ?? '', kind }];
				await this.chosen(service);
			}
		} catch (error) {
			this.refused = saying(error);
		}
	}

	/** The environments that a service travels through, in their order. */
	stops(service: string): [string, string][] {
		const route = this.routes[this.services[service]?.route ?? ''];
		return (route?.legs.flat() ?? []).map((id) => [id, this.places[id]?.title ?? id]);
	}

	async chosen(service: string): Promise<void> {
		if (!service || service in this.versions) return;
		const found = await data(api.GET('/api/services/{service}/releases', { params: { path: { service } } }));
		this.versions[service] = found.releases.map((one) => one.version);
	}

	add(): void {
		this.lines.push(blank());
	}

	remove(at: number): void {
		this.lines.splice(at, 1);
	}

	/** Ask; gives the number of the first, or null where it was refused. */
	async ask(): Promise<number | null> {
		this.busy = true;
		this.refused = '';
		const askings = $state.snapshot(this.lines).map((one) => ({ ...one, note: this.note.trim(), artifacts: [] }));
		try {
			if (this.bundle) {
				const rows = await data(api.POST('/api/bundles', { body: { title: this.title.trim(), promotions: askings } }));
				return rows[0]?.number ?? null;
			}
			return (await data(api.POST('/api/promotions', { body: askings[0]! }))).number;
		} catch (error) {
			this.refused = saying(error);
			return null;
		} finally {
			this.busy = false;
		}
	}
}

function blank(): Asking {
	return { service: '', version: '', to: '', kind: 'ordinary' };
}
