// Asking for one release or several: nothing goes out that was not chosen, nothing typed is lost.
import { beforeEach, describe, expect, it, vi } from 'vitest';

const GET = vi.fn();
const POST = vi.fn();
vi.mock('$lib/api/client', async (original) => ({ ...(await original<object>()), api: { GET, POST } }));
const { AskState } = await import('./ask.svelte');

const ANSWERS: Record<string, unknown> = {
	'/api/services': { app: { title: 'App', route: 'standard' }, core: { title: 'Core', route: 'standard' }, lost: { title: 'Lost', route: 'gone' } },
	'/api/environments': { bench: { title: 'Bench' }, north: { title: 'Live north' }, south: { title: 'Live south' } },
	'/api/travel-routes': { standard: { legs: [['bench'], ['north', 'south']] } },
	'/api/services/{service}/releases': { releases: [{ version: '1.3.0' }, { version: '1.2.0' }] }
};

beforeEach(() => {
	GET.mockReset().mockImplementation((path: string) => Promise.resolve({ data: ANSWERS[path] }));
	POST.mockReset().mockImplementation((path: string) => Promise.resolve({ data: path === '/api/bundles' ? [{ number: 8 }, { number: 9 }] : { number: 7 } }));
});

async function loaded(given = '') {
	const state = new AskState();
	await state.load(new URLSearchParams(given));
	return state;
}

describe('asking', () => {
	it('offers the stops of the service in their order, and none of a route that is gone', async () => {
		const state = await loaded();
		expect(state.stops('app')).toEqual([
			['bench', 'Bench'],
			['north', 'Live north'],
			['south', 'Live south']
		]);
		expect([state.stops('lost'), state.stops('nothing'), state.stops('')]).toEqual([[], [], []]);
	});

	it.each([
		['service=app&version=1.2.0&to=north&kind=rollback', { service: 'app', version: '1.2.0', to: 'north', kind: 'rollback' }],
		['service=app&kind=urgent', { service: 'app', version: '', to: '', kind: 'ordinary' }],
		['service=nothing&version=9', { service: '', version: '', to: '', kind: 'ordinary' }],
		['', { service: '', version: '', to: '', kind: 'ordinary' }]
	])('takes over what an address says, as far as it is there: %s', async (given, line) => {
		expect((await loaded(given)).lines).toEqual([line]);
	});

	it('reads the releases of a service once', async () => {
		const state = await loaded('service=app');
		await state.chosen('app');
		await state.chosen('');
		expect(GET.mock.calls.filter(([path]) => String(path).endsWith('releases'))).toHaveLength(1);
		expect(state.versions).toEqual({ app: ['1.3.0', '1.2.0'] });
	});

	it('sends one as it was chosen, with the note as typed', async () => {
		const state = await loaded('service=app&version=1.2.0&to=north');
		state.note = '  APP-4 waits for it ';
		expect(await state.ask()).toBe(7);
		expect(POST).toHaveBeenCalledExactlyOnceWith('/api/promotions', {
			body: { service: 'app', version: '1.2.0', to: 'north', kind: 'ordinary', note: 'APP-4 waits for it', artifacts: [] }
		});
	});

	it('sends several as one that crosses together, under what they are called', async () => {
		const state = await loaded('service=app&version=1.2.0&to=north');
		state.add();
		expect([state.bundle, state.whole]).toEqual([true, false]);
		Object.assign(state.lines[1]!, { service: 'core', version: '1.3.0', to: 'north' });
		expect(state.whole).toBe(false);
		state.title = ' Spring tariffs ';
		expect(state.whole).toBe(true);
		expect(await state.ask()).toBe(8);
		const [path, { body }] = POST.mock.calls[0]!;
		expect([path, body.title, body.promotions.map((one: { service: string }) => one.service)]).toEqual(['/api/bundles', 'Spring tariffs', ['app', 'core']]);
	});

	it('is one alone again when the other is removed', async () => {
		const state = await loaded('service=app&version=1.2.0&to=north');
		state.add();
		state.remove(1);
		expect([state.bundle, state.whole, state.lines.length]).toEqual([false, true, 1]);
	});

	it.each([['service'], ['version'], ['to']])('is not whole without %s', async (part) => {
		const state = await loaded('service=app&version=1.2.0&to=north');
		Object.assign(state.lines[0]!, { [part]: '' });
		expect(state.whole).toBe(false);
	});

	it('keeps what was typed when it is refused, says why, and may be sent again', async () => {
		POST.mockResolvedValueOnce({ error: { code: 'conflict', detail: 'App 1.2.0 waits for Live north already.' } });
		const state = await loaded('service=app&version=1.2.0&to=north');
		state.note = 'Because.';
		expect(await state.ask()).toBeNull();
		expect([state.refused, state.note, state.lines[0]?.version, state.busy]).toEqual(['App 1.2.0 waits for Live north already.', 'Because.', '1.2.0', false]);
		expect(await state.ask()).toBe(7);
		expect(state.refused).toBe('');
	});

	it('says so when nothing could be read, and offers nothing', async () => {
		GET.mockResolvedValue({ error: { code: 'unavailable', detail: 'Try again in a moment.' } });
		const state = await loaded('service=app');
		expect([state.loaded, state.refused, state.lines]).toEqual([false, 'Try again in a moment.', [{ service: '', version: '', to: '', kind: 'ordinary' }]]);
	});
});
