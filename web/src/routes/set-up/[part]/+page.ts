import { error } from '@sveltejs/kit';
import { setUp as say } from '$lib/words/set-up';

export function load({ params }: { params: { part: string } }): void {
	if (!Object.hasOwn(say.parts, params.part)) error(404, say.noPart);
}
