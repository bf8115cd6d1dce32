import { afterEach, expect, test, vi } from 'vitest';
import { api, data, lines, Refusal, sendFile, useCsrfToken, whenSignedOut } from './client';

afterEach(() => vi.unstubAllGlobals());

function answers(body: unknown, status = 200): Request[] {
	const asked: Request[] = [];
	vi.stubGlobal('fetch', (request: Request | string, init?: RequestInit) => {
		asked.push(request instanceof Request ? request : new Request(new URL(request, 'http://dogana'), init));
		return Promise.resolve(new Response(typeof body === 'string' ? body : JSON.stringify(body), { status, headers: { 'Content-Type': status < 400 ? 'application/json' : 'application/problem+json' } }));
	});
	return asked;
}
const here = () => ({ baseUrl: 'http://dogana', fetch: globalThis.fetch });
const refusal = async (answer: Promise<unknown>) => answer.then(() => null, (error: unknown) => error as Refusal);

test('a problem is a refusal in its own words, with its fields', async () => {
	const problem = { code: 'invalid', detail: 'It is not valid.', fields: [{ pointer: '/zone', reason: 'unknown' }] };
	const error = await refusal(data(Promise.resolve({ error: problem })));
	expect([error?.code, error?.message, error?.fields]).toEqual(['invalid', 'It is not valid.', problem.fields]);
});

test.each([
	['a server that cannot be reached', () => Promise.reject(new TypeError('Failed to fetch')), 'unreachable'],
	['an answer of nobody we know', () => Promise.resolve({ error: '<html>' }), 'fault']
])('%s is said in words, and that nothing was decided', async (_, answer, code) => {
	const error = await refusal(data(answer()));
	expect(error?.code).toBe(code);
	expect(error?.message).toContain('Nothing was decided');
});

test('what changes something carries the token of the session, what only reads does not', async () => {
	useCsrfToken('t-1');
	const asked = answers({});
	await api.GET('/api/desk', here());
	await api.POST('/api/promotions/{number}/depart', { ...here(), params: { path: { number: 7 } } });
	expect(asked.map((one) => one.headers.get('X-CSRF-Token'))).toEqual([null, 't-1']);
});

test('whoever is signed out is told once it shows, but not by signing in wrongly', async () => {
	const told = vi.fn();
	whenSignedOut(told);
	answers({ code: 'signed_out' }, 401);
	await api.POST('/api/session', { ...here(), body: { email: 'a', password: 'b' } });
	expect(told).not.toHaveBeenCalled();
	await api.GET('/api/desk', here());
	expect(told).toHaveBeenCalledOnce();
});

test('lines come one by one, however they are cut on their way', async () => {
	const bytes = new TextEncoder().encode('{"done":1}\n{"done":2,"name":"Tomás"}\n{"done":3}\n');
	const cut = bytes.indexOf(0xc3) + 1;
	vi.stubGlobal('fetch', () =>
		Promise.resolve(
			new Response(
				new ReadableStream({
					start(stream) {
						for (const part of [bytes.slice(0, 4), bytes.slice(4, cut), bytes.slice(cut)]) stream.enqueue(part);
						stream.close();
					}
				})
			)
		)
	);
	const found = [];
	for await (const line of lines<object>('/api/x', {}, new AbortController().signal)) found.push(line);
	expect(found).toEqual([{ done: 1 }, { done: 2, name: 'Tomás' }, { done: 3 }]);
});

test('lines that are refused are a refusal', async () => {
	answers({ code: 'invalid', detail: 'The policy is not valid.' }, 422);
	const error = await refusal(lines('/api/x', {}, new AbortController().signal).next());
	expect(error?.message).toBe('The policy is not valid.');
});

test('a file is sent byte for byte', async () => {
	const asked = answers({ title: 'Feasts' });
	await sendFile('PUT', '/api/calendars/feasts/ics', new File(['BEGIN:VCALENDAR'], 'x.ics'), 'text/calendar');
	expect([await asked[0]?.text(), asked[0]?.headers.get('Content-Type')]).toEqual(['BEGIN:VCALENDAR', 'text/calendar']);
});
