import { beforeEach, describe, expect, it, vi } from 'vitest';
import type { Dossier } from '$lib/api/client';

const GET = vi.fn();
const POST = vi.fn();
vi.mock('$lib/api/client', async (original) => ({ ...(await original<object>()), api: { GET, POST } }));
const { DossierState } = await import('./dossier.svelte');

const shown = { artifacts: 'sha256:a', policy: 'sha256:b' };
const file = { mine: { shown } } as unknown as Dossier;

beforeEach(() => {
	GET.mockReset().mockResolvedValue({ data: file });
	POST.mockReset().mockResolvedValue({ data: {} });
});

describe('a dossier', () => {
	it('decides on exactly what was shown, with the reason as typed', async () => {
		const dossier = new DossierState(() => 7);
		await dossier.load();
		dossier.comment = '  Seen.  ';
		await dossier.act('approve');
		expect(POST).toHaveBeenCalledExactlyOnceWith('/api/promotions/{number}/approve', {
			params: { path: { number: 7 } },
			body: { shown, comment: 'Seen.' }
		});
		expect([dossier.comment, dossier.refused, dossier.busy]).toEqual(['', '', null]);
	});

	it('keeps what was typed when it is refused, and says why', async () => {
		POST.mockResolvedValue({ error: { code: 'moved_on', detail: 'It waits no longer.' } });
		const dossier = new DossierState(() => 7);
		await dossier.load();
		dossier.comment = 'Because.';
		await dossier.act('turn-back');
		expect([dossier.comment, dossier.refused]).toEqual(['Because.', 'It waits no longer.']);
	});

	it('takes one decision at a time', async () => {
		const dossier = new DossierState(() => 7);
		await dossier.load();
		await Promise.all([dossier.act('approve'), dossier.act('approve')]);
		expect(POST).toHaveBeenCalledTimes(1);
	});
});
