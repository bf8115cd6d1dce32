/** By day or by night, as whoever looks has chosen in this browser. */
class Theme {
	dark = $state(document.documentElement.dataset.mode === 'dark');

	switch = () => {
		this.dark = !this.dark;
		const mode = this.dark ? 'dark' : 'light';
		document.documentElement.dataset.mode = mode;
		localStorage.setItem('dogana-mode', mode);
	};
}

export const theme = new Theme();
