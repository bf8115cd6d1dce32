import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { Live } from './live.svelte';

class FakeSource {
	static made: FakeSource[] = [];
	listeners = new Map<string, () => void>();
	onerror: (() => void) | null = null;
	closed = false;
	constructor() {
		FakeSource.made.push(this);
	}
	addEventListener(name: string, then: () => void) {
		this.listeners.set(name, then);
	}
	say(name: string) {
		this.listeners.get(name)?.();
	}
	close() {
		this.closed = true;
	}
}

beforeEach(() => {
	FakeSource.made = [];
	vi.useFakeTimers();
	vi.stubGlobal('EventSource', FakeSource);
});
afterEach(() => vi.useRealTimers());

describe('the live line', () => {
	it('reads several changes of one decision once', () => {
		const live = new Live();
		live.open();
		FakeSource.made[0]?.say('hello');
		for (let n = 0; n < 5; n++) FakeSource.made[0]?.say('change');
		vi.advanceTimersByTime(200);
		expect([live.state, live.version]).toEqual(['live', 1]);
	});

	it('says that something changed though changes never cease', () => {
		const live = new Live();
		live.open();
		FakeSource.made[0]?.say('hello');
		for (let n = 0; n < 20; n++) {
			FakeSource.made[0]?.say('change');
			vi.advanceTimersByTime(60);
		}
		expect(live.version).toBeGreaterThan(5);
	});

	it('has everything read once where it is up at once', () => {
		const live = new Live();
		live.open();
		expect(live.begun).toBe(false);
		FakeSource.made[0]?.say('hello');
		vi.advanceTimersByTime(1000);
		expect([live.begun, live.state, live.version]).toEqual([true, 'live', 0]);
	});

	it('is not waited for where it cannot be had', () => {
		const live = new Live();
		live.open();
		FakeSource.made[0]?.onerror?.();
		expect([live.begun, live.state]).toEqual([true, 'lost']);
	});

	it('reads again once it is up, since what was read before may have changed', () => {
		const live = new Live();
		live.open();
		FakeSource.made[0]?.say('beat');
		vi.advanceTimersByTime(260);
		expect([live.begun, live.state, live.version]).toEqual([true, 'connecting', 0]);
		FakeSource.made[0]?.say('hello');
		vi.advanceTimersByTime(200);
		expect([live.state, live.version]).toEqual(['live', 1]);
	});

	it('takes a line that stays silent for lost, whatever the browser believes', () => {
		const live = new Live();
		live.open();
		FakeSource.made[0]?.say('hello');
		vi.advanceTimersByTime(11_000);
		FakeSource.made[0]?.say('beat');
		vi.advanceTimersByTime(11_000);
		expect(live.state).toBe('live');
		vi.advanceTimersByTime(2_000);
		expect(live.state).toBe('lost');
		expect(FakeSource.made[0]?.closed).toBe(true);
	});

	it('opens a lost line again by itself and then reads everything anew', () => {
		const live = new Live();
		live.open();
		FakeSource.made[0]?.say('hello');
		FakeSource.made[0]?.onerror?.();
		expect(live.state).toBe('lost');
		vi.advanceTimersByTime(2_000);
		FakeSource.made[1]?.say('hello');
		vi.advanceTimersByTime(200);
		expect([live.state, live.version]).toEqual(['live', 1]);
	});

	it('stays closed once it is closed', () => {
		const live = new Live();
		live.open();
		live.close();
		vi.advanceTimersByTime(60_000);
		expect(FakeSource.made).toHaveLength(1);
	});
});
