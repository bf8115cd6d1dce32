import { sveltekit } from '@sveltejs/kit/vite';
import tailwindcss from '@tailwindcss/vite';
import { defineConfig } from 'vitest/config';

/** All but the editor and the charts, which are loaded where they are needed. */
const SHOWN_AT_ONCE = /^(?!.*(codemirror|lezer|uplot|yaml))/;

export default defineConfig({
	// Tests drive the state as a browser has it, with effects.
	resolve: process.env.VITEST ? { conditions: ['browser'] } : undefined,
	plugins: [tailwindcss(), sveltekit()],
	build: { rolldownOptions: { output: { codeSplitting: { groups: [{ name: 'shared', minShareCount: 2, test: SHOWN_AT_ONCE }] } } } },
	server: { proxy: { '/api': 'http://127.0.0.1:8620' } },
	test: { pool: 'threads', include: ['src/**/*.test.ts'] }
});
