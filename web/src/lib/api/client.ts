// The typed way to the server: types come from its OpenAPI document, errors are its problem details.
import createClient, { type Middleware } from 'openapi-fetch';
import type { components, paths } from './schema';
import { frame } from '$lib/words/frame';

export type Schemas = components['schemas'];
export type Me = Schemas['Me'];
export type Desk = Schemas['Desk'];
export type Row = Schemas['Row'];
export type Seat = Schemas['SeatView'];
export type Closing = Schemas['Closing'];
export type RouteLine = Schemas['RouteLine'];
export type Station = Schemas['Station'];
export type Dossier = Schemas['Dossier'];
export type Course = Schemas['CourseView'];
export type Monitor = Schemas['MonitorView'];
export type Patch = Schemas['CommitPatch'];
export type Finding = Schemas['FindingView'];
export type Entry = Schemas['EntryView'];
export type LedgerPage = Schemas['LedgerPage'];
export type LedgerFilters = Schemas['LedgerFilters'];
export type Source = Schemas['SourceView'];
export type ConnectionTest = Schemas['ConnectionTest'];
export type Problem = Schemas['Problem'];
export type Board = Schemas['Board'];
export type Timeline = Schemas['Timeline'];
export type Preview = Schemas['Preview'];
export type PolicyVersion = Schemas['PolicyView'];
export type Changes = Schemas['Changes'];
export type AnswerPage = Schemas['AnswerPage'];
export type Told = Schemas['ToldView'];
export type Kind = Schemas['Kind'];
export type Choices = Schemas['Choices'];
export type OwnChoices = Schemas['OwnChoices'];
export type WaysIn = Schemas['WaysIn'];
export type Timing = Schemas['KindView']['otherwise'];
/** What a rehearsal says line by line; not in the document, which knows no lines. */
export interface Progress {
	done: number;
	of: number;
	outcome: Rehearsal | null;
	courses: Thresholds | null;
	names: Record<string, string> | null;
}
/** What the watches of a draft would have made of what went in step by step. */
export interface Thresholds {
	of: number;
	stopped: number;
	wrongly: number;
	missed: number;
	not_read: number;
	courses: { number: number; badly: boolean; stopped_at?: string; share?: number; monitor?: string; says: string; not_read: string[] }[];
}
export interface Rehearsal {
	of: number;
	departed: number;
	badly: number;
	turns: { turn: 'newly held' | 'newly barred' | 'newly cleared'; count: number; badly: number }[];
	/** Seconds. */
	delays: number[];
	turned: { number: number; at: string; turn: string; badly: boolean; because: string }[];
}

let csrfToken = '';
let onSignedOut: () => void = () => undefined;
let onStepUp: () => void = () => undefined;

export function useCsrfToken(token: string): void {
	csrfToken = token;
}

export function whenSignedOut(then: () => void): void {
	onSignedOut = then;
}

/** What is done once a sign-in is too old for what is asked. */
export function whenStepUp(then: () => void): void {
	onStepUp = then;
}

/** What is read and not answered by then is not waited for: the view says so, and the next change asks again. */
const PATIENCE_MS = 60_000;

const guard: Middleware = {
	onRequest({ request }) {
		if (request.method === 'GET') return new Request(request, { signal: AbortSignal.timeout(PATIENCE_MS) });
		request.headers.set('X-CSRF-Token', csrfToken);
		return request;
	},
	onResponse({ request, response }) {
		if (response.status === 401 && !new URL(request.url).pathname.endsWith('/session')) onSignedOut();
		return response;
	}
};

export const api = createClient<paths>({ baseUrl: '/' });
api.use(guard);

/** What went wrong, in words fit to show. */
export class Refusal extends Error {
	constructor(
		readonly code: string,
		detail: string,
		readonly fields: Problem['fields'] = []
	) {
		super(detail);
	}
}

/** The data of an answer. Throws a `Refusal` for a problem, and for a server that cannot be reached. */
export async function data<T>(answer: Promise<{ data?: T; error?: unknown }>): Promise<T> {
	let got: { data?: T; error?: unknown };
	try {
		got = await answer;
	} catch {
		throw new Refusal('unreachable', frame.unreachable);
	}
	if (got.error !== undefined) {
		const problem = got.error as Partial<Problem>;
		if (problem.code === 'step_up') onStepUp();
		throw new Refusal(problem.code ?? 'fault', problem.detail ?? frame.fault, problem.fields);
	}
	return got.data as T;
}

/** Send a file as it is. Throws a `Refusal` as `data` does. */
export async function sendFile(method: 'PUT', path: string, file: File, type: string): Promise<unknown> {
	const answer = fetch(path, { method, body: file, headers: { 'Content-Type': type, 'X-CSRF-Token': csrfToken } });
	return data(answer.then(async (got) => (got.ok ? { data: await got.json() } : { error: await got.json() })));
}

/** The lines of an answer as they come. Throws a `Refusal` as `data` does. */
export async function* lines<T>(path: string, body: unknown, signal: AbortSignal): AsyncGenerator<T> {
	const headers = { 'Content-Type': 'application/json', 'X-CSRF-Token': csrfToken };
	const got = await fetch(path, { method: 'POST', body: JSON.stringify(body), headers, signal });
	if (!got.ok || !got.body) {
		await data(got.json().then((error) => ({ error })));
		return;
	}
	const reader = got.body.pipeThrough(new TextDecoderStream()).getReader();
	let rest = '';
	for (;;) {
		const { done, value } = await reader.read();
		if (done) return;
		const parts = (rest + value).split('\n');
		rest = parts.pop() ?? '';
		for (const part of parts) yield JSON.parse(part) as T;
	}
}

export function saying(error: unknown): string {
	return error instanceof Error ? error.message : String(error);
}
