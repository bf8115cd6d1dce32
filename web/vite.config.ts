import { sveltekit } from '@sveltejs/kit/vite';
import tailwindcss from '@tailwindcss/vite';
import { defineConfig } from 'vitest/config';

export default defineConfig({
	// Tests drive the state as a browser has it, with effects.
	resolve: process.env.VITEST ? { conditions: ['browser'] } : undefined,
	plugins: [tailwindcss(), sveltekit()],
	server: { proxy: { '/api': 'http://127.0.0.1:8620' } },
	test: { include: ['src/**/*.test.ts'] }
});
