import { afterEach, beforeEach, expect, test, vi } from 'vitest';
import type { Board, Timeline } from '$lib/api/client';

const post = vi.fn();
vi.mock('$lib/api/client', async (original) => ({ ...(await original<object>()), api: { POST: post } }));
const { Drawing } = await import('./drawing.svelte');

const SOURCE = `format: dogana.policy/1
title: Depot
zone: America/Halifax
rules:
  - id: closed
    kind: freeze
    title: Closed
    zone: America/Halifax
    windows:
      - name: stocktaking
        starting: 2026-03-02T20:00:00
        lasting: PT4H
        every: FREQ=WEEKLY
`;
const DEPOT = { id: 'depot', name: 'Depot', zone: 'America/Halifax' };
const CLOSING = { rule: 'closed', name: 'stocktaking', texture: 'freeze', start: '2026-03-10T00:00:00Z', end: '2026-03-10T04:00:00Z' };

function begun() {
	const board = { columns: [{ environment: DEPOT, source: SOURCE }] } as unknown as Board;
	const lanes = [{ environment: DEPOT, closings: [CLOSING] }] as unknown as Timeline['lanes'];
	return new Drawing(
		() => board,
		() => lanes
	);
}
const closing = CLOSING as Timeline['lanes'][number]['closings'][number];

beforeEach(() => vi.useFakeTimers());
afterEach(() => vi.useRealTimers());

test('tonight is the evening of the environment, not of whoever looks', () => {
	const drawing = begun();
	drawing.tonight('depot', Date.parse('2026-03-11T01:00:00Z'));
	expect(new Date(drawing.shape?.from ?? 0).toISOString()).toBe('2026-03-10T23:00:00.000Z');
	expect(drawing.writing?.source).toContain('from: 2026-03-10T20:00:00');
	expect(drawing.writing?.source).toContain('until: 2026-03-11T06:00:00');
});

test('a name stays while the freeze is dragged, and goes with it', () => {
	const drawing = begun();
	drawing.close('depot', Date.parse('2026-03-12T12:00Z'), Date.parse('2026-03-12T14:00Z'));
	drawing.change({ name: 'the move' });
	drawing.close('depot', Date.parse('2026-03-12T12:00Z'), Date.parse('2026-03-12T16:00Z'));
	expect(drawing.shape?.name).toBe('the move');
	drawing.close('depot', Date.parse('2026-03-10T01:00Z'), Date.parse('2026-03-10T05:00Z'), closing);
	expect(drawing.shape?.name).toBe('stocktaking');
});

test('of a recurring one, this one or every one is put elsewhere', () => {
	const drawing = begun();
	drawing.close('depot', Date.parse('2026-03-10T01:00Z'), Date.parse('2026-03-10T05:00Z'), closing);
	expect([drawing.shape?.again, drawing.shape?.all]).toEqual([true, false]);
	expect(drawing.writing?.source).toContain('except:');
	drawing.change({ all: true });
	expect(drawing.writing?.source).not.toContain('except:');
	expect(drawing.writing?.source).toContain('starting: 2026-03-02T22:00:00');
});

test('what is kept is a draft, said so, and no longer drawn; what is refused stays', async () => {
	const drawing = begun();
	drawing.tonight('depot', Date.parse('2026-03-10T20:00:00Z'));
	post.mockResolvedValue({ error: { code: 'invalid', detail: 'It ends before it begins.', fields: [] }, response: { status: 422 } });
	await drawing.keep();
	expect([drawing.shape?.environment, drawing.writing?.refused]).toEqual(['depot', 'It ends before it begins.']);
	post.mockResolvedValue({ data: { version: 4 } });
	await drawing.keep();
	expect([drawing.shape, drawing.done]).toEqual([null, 'Version 4 of the policy of Depot is drafted; it closes nothing until a second person adopts it.']);
});

test('nothing is drawn where there is no policy to write', () => {
	const drawing = new Drawing(
		() => null,
		() => []
	);
	drawing.tonight('depot', 0);
	drawing.close('depot', 0, 1);
	expect(drawing.shape).toBeNull();
});
