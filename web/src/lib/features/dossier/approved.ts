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

/** Each by itself: what departed meanwhile keeps no other from being taken back. */
async function takeBack(some: Approved[], names: string): Promise<void> {
	const refused: string[] = [];
	for (const { number, service, version } of some) {
		try {
			await data(api.POST('/api/promotions/{number}/retract', { params: { path: { number } }, body: { comment: '' } }));
		} catch (error) {
			refused.push(`${service.name} ${version}: ${saying(error)}`);
		}
	}
	tell(refused.join(' ') || say.tookBack(names));
}
