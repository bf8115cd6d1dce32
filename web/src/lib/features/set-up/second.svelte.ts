// What came of a change that takes a second person.
import type { Schemas } from '$lib/api/client';
import { seconding as say } from '$lib/words/set-up';

export type ChangeOutcome = Schemas['ChangeOutcome'];

/** What stands after something was sent: that it waits, that nobody could confirm it, an invitation. */
export class Outcome {
	says = $state('');
	/** The address that an invitation opens; told once. */
	opens = $state('');

	take(asked: ChangeOutcome): void {
		const done = asked.waits ? say.waits : asked.alone ? say.alone : '';
		this.says = [done, asked.mailed ? say.mailed : ''].filter(Boolean).join(' ');
		this.opens = asked.invitation ? `${location.origin}/welcome#${asked.invitation}` : '';
	}
}

/** Whether whoever sets up people is the only one who could, so that nobody confirms anything. */
export function oneAlone(people: Schemas['PersonView'][]): boolean {
	const able = people.filter((one) => one.can_sign_in && one.roles.some((role) => role === 'administrator' || role === 'policy owner'));
	return able.length < 2;
}
