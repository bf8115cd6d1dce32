// @vitest-environment happy-dom
import { afterEach, beforeEach, expect, test, vi } from 'vitest';

const PUT = vi.fn();
const DELETE = vi.fn();
vi.mock('$lib/api/client', async (original) => ({ ...(await original<object>()), api: { PUT, DELETE } }));
const { look } = await import('./presence');

let visibility: DocumentVisibilityState = 'visible';
beforeEach(() => {
	vi.useFakeTimers();
	visibility = 'visible';
	vi.spyOn(document, 'visibilityState', 'get').mockImplementation(() => visibility);
	for (const one of [PUT, DELETE]) one.mockReset().mockResolvedValue({ data: {} });
});
afterEach(() => vi.useRealTimers());

test('one looks for as long as it is open, and says so now and then', () => {
	const away = look(7);
	vi.advanceTimersByTime(60_000);
	expect(PUT).toHaveBeenCalledTimes(4);
	away();
	vi.advanceTimersByTime(60_000);
	expect(PUT).toHaveBeenCalledTimes(4);
	expect(DELETE).toHaveBeenCalledExactlyOnceWith('/api/promotions/{number}/looking', { params: { path: { number: 7 } }, keepalive: true });
});

test('who has it open behind another tab does not look', () => {
	visibility = 'hidden';
	const away = look(7);
	vi.advanceTimersByTime(60_000);
	expect(PUT).not.toHaveBeenCalled();
	visibility = 'visible';
	vi.advanceTimersByTime(20_000);
	expect(PUT).toHaveBeenCalledOnce();
	away();
});

test('that it cannot be said is no fault of the page', async () => {
	PUT.mockRejectedValue(new TypeError('down'));
	DELETE.mockRejectedValue(new TypeError('down'));
	look(7)();
	await vi.advanceTimersByTimeAsync(0);
});
