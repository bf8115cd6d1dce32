// One monitor along time: the mean as a line, the range between lowest and highest as a band, its limits, and a hairline
// where something happened. All plots of a page share one axis and one cursor.
import uPlot from 'uplot';
import { clock, day } from '$lib/time/time';
import { redrawn } from '$lib/ui/redrawn.svelte';
import type { Line, Occurrence, Stretch } from './charts.svelte';

export const HEIGHT = 104;
/** Where the drawing begins and ends, in pixels from the edges; what is laid over it keeps to them. */
export const LEFT = 52;
export const RIGHT = 12;
const LEAST_DRAWN = 4;
/** Pixels. */
const HALF_A_LABEL = 40;
/** Seconds between two dates on the axis. */
const DAYS = [1, 2, 4, 7, 14, 28].map((days) => days * 86_400);
const TELLING = new Set(['landing', 'rollback', 'taken back', 'incident']);

export interface Drawn {
	line: Line;
	occurrences: Occurrence[];
	start: number;
	end: number;
	zone: string;
	/** Called with the instant under the pointer, in milliseconds; null once it leaves. */
	onpoint: (at: number | null) => void;
	onstretch: (stretch: Stretch) => void;
	/** Pixels; usual where left out. */
	height?: number;
}

/** Draws into an element, anew when anything of it, the theme or the width changes. */
export function plot(drawn: () => Drawn) {
	return redrawn(
		drawn,
		(element, now) => new uPlot(options(element, now), series(now.line) as uPlot.AlignedData, element),
		() => drawn().height ?? HEIGHT
	);
}

/** Times, highest, lowest, mean, and the limits as lines of their own. */
export function series(line: Line): (number | null)[][] {
	const limits = [line.at_most, line.at_least].map((limit) => line.at.map(() => limit ?? null));
	return [line.at, line.high, line.low, line.mean, ...limits];
}

/** From a little below the lowest to a little above the highest; a limit is in it where it is not far. */
export function range(line: Line): [number, number] {
	const shown = [...line.low, ...line.high];
	if (shown.length === 0) return [0, 1];
	// Not spread out: hundreds of thousands of values are no list of arguments.
	let [low, high] = shown.reduce(([least, most], one) => [Math.min(least, one), Math.max(most, one)], [Infinity, -Infinity]);
	const far = Math.max(high - low, Math.abs(high) * 0.2);
	if (line.at_most !== null && line.at_most <= high + 2 * far) high = Math.max(high, line.at_most);
	if (line.at_least !== null && line.at_least >= low - 2 * far) low = Math.min(low, line.at_least);
	const room = Math.max((high - low) * 0.08, Math.abs(high) * 0.01, 1e-9);
	return [low >= 0 && low - room < 0 ? 0 : low - room, high + room];
}

function options(element: HTMLElement, drawn: Drawn): uPlot.Options {
	const ink = (name: string) => getComputedStyle(element).getPropertyValue(name).trim();
	const axis = { stroke: ink('--ink-soft'), grid: { stroke: ink('--hair'), width: 1 }, ticks: { show: false }, font: '11px sans-serif' };
	const long = drawn.end - drawn.start > 2 * 86_400_000;
	/** A label that would end beyond the axis is left out. */
	const wide = Math.max(element.clientWidth - LEFT - RIGHT, 1);
	const last = (drawn.end - ((drawn.end - drawn.start) * Math.max(HALF_A_LABEL - RIGHT, 0)) / wide) / 1000;
	const limit = () => ({ stroke: ink('--wax'), width: 1.3, dash: [5, 4], points: { show: false } });
	return {
		width: element.clientWidth,
		height: drawn.height ?? HEIGHT,
		legend: { show: false },
		padding: [6, RIGHT, 0, 0],
		cursor: { sync: { key: 'estate' }, points: { show: false }, y: false, drag: { x: true, y: false, setScale: false } },
		scales: { x: { time: true, range: [drawn.start / 1000, drawn.end / 1000] }, y: { range: range(drawn.line) } },
		axes: [
			{ ...axis, size: 20, space: 80, incrs: long ? DAYS : undefined, values: (_, at) => at.map((one) => (one > last ? '' : long ? day(new Date(one * 1000), drawn.zone) : clock(new Date(one * 1000), drawn.zone))) },
			{ ...axis, size: LEFT, space: 26, values: (_, at) => at.map((one) => `${Number(one.toPrecision(3))}`) }
		],
		series: [{}, { width: 0, points: { show: false } }, { width: 0, points: { show: false } }, { stroke: ink('--blue'), width: 1.6, points: { show: false } }, limit(), limit()],
		bands: [{ series: [1, 2], fill: ink('--hair') }],
		hooks: {
			draw: [(made) => hairlines(made, drawn, ink('--ink-soft'), ink('--wax'))],
			setCursor: [(made) => drawn.onpoint((made.cursor.left ?? -1) < 0 ? null : made.posToVal(made.cursor.left!, 'x') * 1000)],
			setSelect: [
				(made) => {
					const { left, width } = made.select;
					if (width < LEAST_DRAWN) return;
					drawn.onstretch({ start: made.posToVal(left, 'x') * 1000, end: made.posToVal(left + width, 'x') * 1000 });
					made.setSelect({ left: 0, top: 0, width: 0, height: 0 }, false);
				}
			]
		}
	};
}

function hairlines(made: uPlot, drawn: Drawn, ink: string, wax: string): void {
	const { ctx, bbox } = made;
	ctx.save();
	ctx.lineWidth = devicePixelRatio;
	for (const one of drawn.occurrences) {
		if (!TELLING.has(one.kind)) continue;
		const at = Date.parse(one.at) / 1000;
		const x = Math.round(made.valToPos(at, 'x', true));
		if (x < bbox.left || x > bbox.left + bbox.width) continue;
		ctx.strokeStyle = one.kind === 'landing' ? ink : wax;
		ctx.setLineDash(one.kind === 'landing' ? [] : [3 * devicePixelRatio, 2 * devicePixelRatio]);
		ctx.beginPath();
		ctx.moveTo(x, bbox.top);
		ctx.lineTo(x, bbox.top + bbox.height);
		ctx.stroke();
	}
	ctx.restore();
}
