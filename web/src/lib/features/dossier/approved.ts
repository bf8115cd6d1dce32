// Says what one approved just now, and takes it back from there.
import { api, data, saying } from '$lib/api/client';
import { tell } from '$lib/state/told';
import { decision as say } from '$lib/words/dossier';
import { listed } from '$lib/words/common';

type Approved = { number: number; service: { name: string }; version: string };

export function tellApproved(some: Approved[]): void {
	const names = listed(some.map(({ service, version }) => `${service.name} ${version}`));
	tell(say.youApproved(names), { label: say.takeBack(some.length), onClick: () => void takeBack(some, names) });
}

/** Do something to each of several, one after another: what is refused keeps no other back. Gives the refusals. */
export async function eachByItself<T extends Approved>(some: T[], act: (one: T) => Promise<unknown>): Promise<string[]> {
	const refused: string[] = [];
	for (const one of some) {
		try {
			await act(one);
		} catch (error) {
			refused.push(`${one.service.name} ${one.version}: ${saying(error)}`);
		}
	}
	return refused;
}

async function takeBack(some: Approved[], names: string): Promise<void> {
	const refused = await eachByItself(some, ({ number }) => data(api.POST('/api/promotions/{number}/retract', { params: { path: { number } }, body: { comment: '' } })));
	tell(refused.join(' ') || say.tookBack(names));
}
