// One monitor over time: the range that is known as a band, the newcomer, the incumbent, and the limit.
import uPlot from 'uplot';
import type { Monitor } from '$lib/api/client';
import { clock } from '$lib/time/time';
import { redrawn } from '$lib/ui/redrawn.svelte';
import { course as say } from '$lib/words/course';

const HEIGHT = 120;
const WIDEST = 2.2;

/** A figure of a monitor; of what is compared the range is in parts of the incumbent's. */
export function figure(monitor: Monitor, value: number | null | undefined, range = false): string {
	if (value === null || value === undefined) return '–';
	if (range ? monitor.share : monitor.counted) return `${Number((value * 100).toPrecision(3))} %`;
	return `${Number(value.toPrecision(3))}${range && monitor.compared ? ' ×' : ''}`;
}

/** What is drawn: the range in the limit's own unit, cut where it is far beyond; figures where they share it. */
export function series(monitor: Monitor): (number | null)[][] {
	const top = monitor.limit * WIDEST;
	const cut = (value: number | null | undefined, otherwise: number) => Math.min(value ?? otherwise, top);
	// Of a quantile no value is drawn: what is counted are the requests beyond it.
	const own = (point: Monitor['points'][number]) => {
		if (point.value === null) return null;
		if (monitor.compared) return point.incumbent ? Math.min(point.value / point.incumbent, top) : null;
		return monitor.share || !monitor.counted ? Math.min(point.value, top) : null;
	};
	return [
		monitor.points.map((point) => Date.parse(point.at) / 1000),
		monitor.points.map((point) => (monitor.counted ? cut(point.high, top) : null)),
		monitor.points.map((point) => (monitor.counted ? cut(point.low, 0) : null)),
		monitor.points.map(own),
		monitor.points.map(() => monitor.limit)
	];
}

/** Draws into an element, and anew with every look and when the theme or the width changes. */
export function drawn(monitor: () => Monitor, zone: string) {
	return redrawn(
		monitor,
		(element, now) => new uPlot(options(element, now, zone), series(now) as uPlot.AlignedData, element),
		() => HEIGHT
	);
}

/** Each minute is named once. */
function times(at: number[], zone: string): string[] {
	const said = at.map((one) => clock(new Date(one * 1000), zone));
	return said.map((one, n) => (one === said[n - 1] ? '' : one));
}

function options(element: HTMLElement, monitor: Monitor, zone: string): uPlot.Options {
	const ink = (name: string) => getComputedStyle(element).getPropertyValue(name).trim();
	const axis = { stroke: ink('--ink-soft'), grid: { stroke: ink('--hair'), width: 1 }, ticks: { show: false }, font: '11px sans-serif' };
	return {
		width: element.clientWidth,
		height: HEIGHT,
		legend: { show: false },
		cursor: { show: false },
		padding: [6, 22, 0, 0],
		scales: { x: { time: true }, y: { range: [0, monitor.limit * WIDEST] } },
		axes: [
			{ ...axis, size: 22, space: 70, values: (_, at) => times(at, zone) },
			{ ...axis, size: 46, space: 28, values: (_, at) => at.map((one) => figure(monitor, one, monitor.counted)) }
		],
		series: [
			{},
			{ label: say.range, stroke: ink('--hair-strong'), width: 1, points: { show: false } },
			{ label: say.range, stroke: ink('--hair-strong'), width: 1, points: { show: false } },
			{ label: say.newcomer, stroke: ink('--blue'), width: 2, points: { show: false } },
			{ label: say.limit, stroke: ink('--wax'), width: 1.5, dash: [5, 4], points: { show: false } }
		],
		bands: [{ series: [1, 2], fill: ink('--wash') }]
	};
}
