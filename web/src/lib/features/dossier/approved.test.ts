import { beforeEach, expect, it, vi } from 'vitest';

const POST = vi.fn();
vi.mock('$lib/api/client', async (original) => ({ ...(await original<object>()), api: { POST } }));
const tell = vi.fn();
vi.mock('$lib/state/told', () => ({ tell }));
const { tellApproved } = await import('./approved');

const row = (number: number, name: string) => ({ number, service: { name }, version: '1.0.0' });

beforeEach(() => {
	tell.mockReset();
	POST.mockReset().mockResolvedValue({ data: {} });
});

it('says what was approved, and takes exactly that back', async () => {
	tellApproved([row(7, 'Taps'), row(9, 'Pumps')]);
	expect(tell).toHaveBeenCalledExactlyOnceWith('You approved Taps 1.0.0 and Pumps 1.0.0.', expect.objectContaining({ label: 'Take them back' }));
	tell.mock.calls[0]![1].onClick();
	await vi.waitFor(() => expect(tell).toHaveBeenLastCalledWith('You took your approval of Taps 1.0.0 and Pumps 1.0.0 back.'));
	expect(POST.mock.calls.map(([path, { params }]) => [path, params.path.number])).toEqual([
		['/api/promotions/{number}/retract', 7],
		['/api/promotions/{number}/retract', 9]
	]);
});

it('takes the others back where one departed meanwhile, and says which did', async () => {
	POST.mockResolvedValueOnce({ error: { code: 'moved_on', detail: 'It waits no longer.' } });
	tellApproved([row(7, 'Taps'), row(9, 'Pumps')]);
	tell.mock.calls[0]![1].onClick();
	await vi.waitFor(() => expect(tell).toHaveBeenLastCalledWith('Taps 1.0.0: It waits no longer.'));
	expect(POST).toHaveBeenCalledTimes(2);
});
