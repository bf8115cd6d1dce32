// Reports for people: one sentence of figures, and the single things that stand out.
import type { Dossier } from './api/client';

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

const SEVERITIES = ['critical', 'high', 'medium', 'low'];

function number(report: Report, key: string): number {
	const value = report.content[key];
	return typeof value === 'number' ? value : 0;
}

function list(report: Report, key: string): unknown[] {
	const value = report.content[key];
	return Array.isArray(value) ? value : [];
}

function field(value: unknown, key: string): string {
	const found = typeof value === 'object' && value !== null ? (value as Record<string, unknown>)[key] : undefined;
	return typeof found === 'string' || typeof found === 'number' ? String(found) : '';
}

function counted(count: number, thing: string): string {
	return `${count} ${thing}${count === 1 ? '' : 's'}`;
}

/** What a report comes to, in one line. */
export function said(report: Report): string {
	const of = (key: string) => number(report, key);
	if (report.kind === 'tests') {
		const rest = [of('failed') ? `${of('failed')} failed` : 'none failed'];
		if (of('skipped')) rest.push(`${of('skipped')} skipped`);
		if (of('flaky')) rest.push(`${of('flaky')} only passed when run again`);
		return `${of('passed')} passed, ${rest.join(', ')}`;
	}
	if (report.kind === 'coverage') return `${of('lines')} % of lines, ${of('branches')} % of branches`;
	if (report.kind === 'scan' || report.kind === 'components') {
		const found = SEVERITIES.filter((one) => of(one)).map((one) => `${of(one)} ${one}`);
		const parts = report.kind === 'components' ? `${counted(of('components'), 'component')}, ` : '';
		return `${parts}${found.join(', ') || 'nothing found'}`;
	}
	if (report.kind === 'plan') return `${of('to_add')} to add, ${of('to_change')} to change, ${of('to_destroy')} to destroy`;
	const plain = Object.entries(report.content).filter(([, value]) => ['string', 'number', 'boolean'].includes(typeof value));
	return plain.map(([key, value]) => `${key.replaceAll('_', ' ')} ${value}`).join(', ');
}

/** The single things in a report, in groups. */
export function groupsOf(report: Report): Group[] {
	const groups: Group[] = [
		{
			title: 'Failed',
			lines: list(report, 'failures').map((one) => ({
				name: field(one, 'name'),
				where: field(one, 'suite'),
				words: field(one, 'message'),
				text: field(one, 'text')
			}))
		},
		{ title: 'Only passed when run again', lines: list(report, 'flaky_tests').map((one) => ({ name: String(one) })) },
		{
			title: 'Found',
			lines: list(report, 'findings').map((one) => ({
				rank: field(one, 'severity'),
				name: field(one, 'name'),
				words: field(one, 'message'),
				where: field(one, 'where')
			}))
		},
		{
			title: 'Least covered',
			lines: list(report, 'least_covered').map((one) => ({ name: field(one, 'name'), words: `${field(one, 'lines')} % of lines` }))
		},
		...(['destroy', 'change', 'add'] as const).map((verb) => ({
			title: `To ${verb}`,
			lines: list(report, verb).map((one) => ({ name: String(one) }))
		})),
		{
			title: 'Components',
			lines: list(report, 'parts').map((one) => ({ name: `${field(one, 'name')} ${field(one, 'version')}`, words: field(one, 'licence') }))
		}
	];
	return groups.filter((group) => group.lines.length > 0);
}
