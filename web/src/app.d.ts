import '@sveltejs/kit';

declare global {
	namespace App {}
}
