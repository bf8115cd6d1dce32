// @vitest-environment happy-dom
import { flushSync } from 'svelte';
import { afterEach, describe, expect, it } from 'vitest';
import { Loader } from './loader.svelte';

/** A server that answers when it is told to, with what was asked and how often it had been. */
class Slow {
	asked: string[] = [];
	#answers: ((fails?: Error) => void)[] = [];

	read(what: string): Promise<string> {
		this.asked.push(what);
		const says = `${what} ${this.asked.length}`;
		return new Promise((done, fail) => this.#answers.push((error) => (error ? fail(error) : done(says))));
	}
	/** Answer the question of that place, and let everything follow that comes of it. */
	async answers(place: number, fails?: Error): Promise<void> {
		this.#answers[place]?.(fails);
		for (let turn = 0; turn < 10; turn++) await Promise.resolve();
		flushSync();
	}
}

let stop = () => undefined as void;
afterEach(() => stop());

/** A view that shows what is read for `number`, again with every `version`. */
function view(server: Slow) {
	let number = $state(1);
	let version = $state(0);
	let shown = $state<string[]>([]);
	let loader!: Loader<string>;
	stop = $effect.root(() => {
		loader = new Loader(
			() => server.read(`file ${number}`),
			(found) => shown.push(found)
		).follow(() => version);
	});
	flushSync();
	return {
		loader,
		shown: () => [...shown],
		changes: (times = 1) => {
			for (let n = 0; n < times; n++) flushSync(() => version++);
		},
		moves: (to: number, changed = 0) => flushSync(() => ([number, version] = [to, version + changed]))
	};
}

describe('what a view reads', () => {
	// A busy place changes faster than a busy server answers: the view must neither stay empty nor ask in heaps.
	it('is shown though it changes again before every answer', async () => {
		const server = new Slow();
		const page = view(server);
		for (let place = 0; place < 3; place++) {
			page.changes(5);
			await server.answers(place);
		}
		expect(page.shown()).toEqual(['file 1 1', 'file 1 2', 'file 1 3']);
		expect(server.asked).toHaveLength(4);
		await server.answers(3);
		expect(server.asked).toHaveLength(4);
	});

	it('is read at once for what one moved on to, and late answers to what one left are let go', async () => {
		const server = new Slow();
		const page = view(server);
		page.changes();
		page.moves(2);
		expect(server.asked).toEqual(['file 1', 'file 2']);
		await server.answers(0);
		await server.answers(1);
		expect([page.shown(), server.asked]).toEqual([['file 2 2'], ['file 1', 'file 2']]);
		page.moves(3);
		page.changes();
		await server.answers(2);
		await server.answers(3);
		expect(page.shown().at(-1)).toBe('file 3 4');
	});

	it('is read once where it changes as one moves on', async () => {
		const server = new Slow();
		const page = view(server);
		await server.answers(0);
		page.moves(2, 1);
		expect(server.asked).toEqual(['file 1', 'file 2']);
		await server.answers(1);
		expect([page.shown().at(-1), server.asked.length]).toEqual(['file 2 2', 2]);
		page.changes();
		expect(server.asked).toEqual(['file 1', 'file 2', 'file 2']);
	});

	it('is as it was after it was asked for, for whoever waits for it', async () => {
		const server = new Slow();
		const page = view(server);
		let told = '';
		void Promise.all([page.loader.load(), page.loader.load()]).then(() => (told = page.shown().at(-1) ?? ''));
		await server.answers(0);
		expect(told).toBe('');
		await server.answers(1);
		expect([told, server.asked.length]).toEqual(['file 1 2', 2]);
	});

	it('is read again after it could not be, with the next change', async () => {
		const server = new Slow();
		const page = view(server);
		await server.answers(0, new Error('away'));
		expect([page.loader.failed, page.loader.loaded]).toEqual(['away', false]);
		page.changes();
		await server.answers(1);
		expect([page.loader.failed, page.loader.loaded, page.shown()]).toEqual(['', true, ['file 1 2']]);
	});
});
