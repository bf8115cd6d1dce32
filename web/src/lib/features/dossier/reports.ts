// Reports for people: one sentence of figures, and the single things that stand out.
import type { Dossier, Row } from '$lib/api/client';
import { report as say } from '$lib/words/dossier';

type Report = Dossier['evidence'][number];
export interface Line {
	name: string;
	words?: string;
	where?: string;
	text?: string;
	rank?: string;
}
export interface Group {
	title: string;
	lines: Line[];
}

const SEVERITIES = ['unrated', 'critical', 'high', 'medium', 'low', 'info'];

function number(report: Report, key: string): number {
	const value = report.content[key];
	return typeof value === 'number' ? value : 0;
}

const tells = (report: Report, ...keys: string[]) => keys.every((key) => typeof report.content[key] === 'number');

function list(report: Report, key: string): unknown[] {
	const value = report.content[key];
	return Array.isArray(value) ? value : [];
}

function field(value: unknown, key: string): string {
	const found = typeof value === 'object' && value !== null ? (value as Record<string, unknown>)[key] : undefined;
	return typeof found === 'string' || typeof found === 'number' ? String(found) : '';
}

/** What a report comes to, in one line. */
export function said(report: Report): string {
	return report.unknown ? say.notToBeReliedOn(figures(report)) : figures(report);
}

function figures(report: Report): string {
	const of = (key: string) => number(report, key);
	if (report.kind === 'tests' && tells(report, 'passed', 'failed')) return say.tests(of('passed'), of('failed'), of('skipped'), of('flaky'));
	if (report.kind === 'coverage') return say.coverage(report.content.lines as number | undefined, report.content.branches as number | undefined);
	if (report.kind === 'scan' || report.kind === 'components') {
		const found = SEVERITIES.filter((one) => of(one)).map((one) => `${of(one)} ${one}`);
		const parts = report.kind === 'components' ? [say.components(of('components'))] : [];
		const told = 'critical' in report.content ? [found.join(', ') || say.nothingFound] : [say.tellsOfNone];
		return [...parts, ...told].join(', ');
	}
	if (report.kind === 'plan' && tells(report, 'to_add', 'to_change', 'to_destroy')) return say.plan(of('to_add'), of('to_change'), of('to_destroy'));
	const plain = Object.entries(report.content).filter(([, value]) => ['string', 'number', 'boolean'].includes(typeof value));
	return plain.map(([key, value]) => `${key.replaceAll('_', ' ')} ${value}`).join(', ') || say.tellsOfNothing;
}

/** The single things in a report, in groups. */
export function groupsOf(report: Report): Group[] {
	const plain = (one: unknown) => ({ name: String(one) });
	/** Each list, what all of it is counted under, what it is called, and a line of it. */
	const lists: [string, string[], string, (one: unknown) => Line][] = [
		[
			'failures',
			['failed'],
			say.failed,
			(one) => ({ name: field(one, 'name'), where: field(one, 'suite'), words: field(one, 'message'), text: field(one, 'text') })
		],
		['flaky_tests', ['flaky'], say.flaky, plain],
		[
			'findings',
			SEVERITIES,
			say.found,
			(one) => ({ rank: field(one, 'severity'), name: field(one, 'name'), words: field(one, 'message'), where: field(one, 'where') })
		],
		['least_covered', ['packages'], say.leastCovered, (one) => ({ name: field(one, 'name'), words: say.ofLines(field(one, 'lines')) })],
		['destroy', ['to_destroy'], say.to.destroy, plain],
		['change', ['to_change'], say.to.change, plain],
		['add', ['to_add'], say.to.add, plain],
		['parts', ['components'], say.parts, (one) => ({ name: `${field(one, 'name')} ${field(one, 'version')}`, words: field(one, 'licence') })]
	];
	const groups = lists.map(([key, counted, title, line]) => {
		const lines = list(report, key).map(line);
		const told = counted.reduce((sum, one) => sum + number(report, one), 0);
		return { title: told > lines.length ? say.theFirst(title, lines.length, told) : title, lines };
	});
	return groups.filter((group) => group.lines.length > 0);
}

/** Where the file that a report was read from is given back, byte for byte. */
export function fileAt(row: Pick<Row, 'service' | 'version'>, report: string): string {
	const [service, version, name] = [row.service.id, row.version, report].map(encodeURIComponent);
	return `/api/services/${service}/releases/${version}/evidence/${name}/file`;
}
