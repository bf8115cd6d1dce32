// A chart that is drawn anew when what it shows or the theme changes, and keeps to the width of its place.
import type uPlot from 'uplot';

/**
 * @param make draws into the element; what it reads is what it is drawn anew for
 * @param height in pixels
 */
export function redrawn(make: (element: HTMLElement) => uPlot, height: () => number) {
	return (element: HTMLElement) => {
		let made: uPlot | undefined;
		const draw = () => {
			made?.destroy();
			made = make(element);
		};
		$effect(draw);
		const sizes = new ResizeObserver(() => made?.setSize({ width: element.clientWidth, height: height() }));
		sizes.observe(element);
		const themes = new MutationObserver(draw);
		themes.observe(document.documentElement, { attributeFilter: ['data-mode'] });
		return () => {
			sizes.disconnect();
			themes.disconnect();
			made?.destroy();
		};
	};
}
