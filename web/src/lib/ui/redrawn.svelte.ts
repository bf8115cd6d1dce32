// A chart that is drawn anew when what it shows or the theme changes, and keeps to the width of its place.
import type uPlot from 'uplot';

/** What can be drawn into an element. */
export type Plot = Pick<uPlot, 'destroy' | 'setSize'>;

/**
 * Not while somebody drags over it, who would lose the stretch: it is drawn anew once they let go.
 *
 * @param shown what it is drawn of; what it reads is what it is drawn anew for
 * @param make draws that into the element
 * @param height in pixels
 */
export function redrawn<T>(shown: () => T, make: (element: HTMLElement, shown: T) => Plot, height: () => number) {
	return (element: HTMLElement) => {
		let made: Plot | undefined;
		let now: T;
		let held = false;
		let late = false;
		const draw = () => {
			late = held;
			if (held) return;
			made?.destroy();
			made = make(element, now);
		};
		$effect(() => {
			now = shown();
			draw();
		});
		const hold = () => (held = true);
		// On the window, where it comes last: the chart has taken the stretch by then.
		const letGo = () => {
			held = false;
			if (late) draw();
		};
		element.addEventListener('mousedown', hold);
		window.addEventListener('mouseup', letGo);
		const sizes = new ResizeObserver(() => made?.setSize({ width: element.clientWidth, height: height() }));
		sizes.observe(element);
		const themes = new MutationObserver(draw);
		themes.observe(document.documentElement, { attributeFilter: ['data-mode'] });
		return () => {
			element.removeEventListener('mousedown', hold);
			window.removeEventListener('mouseup', letGo);
			sizes.disconnect();
			themes.disconnect();
			made?.destroy();
		};
	};
}
