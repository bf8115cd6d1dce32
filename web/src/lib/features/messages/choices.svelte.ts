// When one is mailed of what, as it is chosen on screen.
import { api, data, type Choices, type Kind, type OwnChoices, type Timing } from '$lib/api/client';
import { Setting } from '$lib/features/set-up/setting.svelte';

const DAYS: NonNullable<Choices['quiet']>[number]['days'] = ['MO', 'TU', 'WE', 'TH', 'FR', 'SA', 'SU'];
const WORKING = DAYS.slice(0, 5);

export class Choosing extends Setting<OwnChoices> {
	mail = $state<Partial<Record<Kind, Timing>>>({});
	from = $state('');
	until = $state('');
	at = $state('');
	zone = $state('');
	saved = $state(false);

	constructor() {
		super(async () => {
			const found = await data(api.GET('/api/messages/choices'));
			const quiet = found.choices.quiet?.[0];
			this.mail = { ...found.choices.mail };
			[this.from, this.until] = [quiet?.from ?? '', quiet?.until ?? ''];
			this.at = found.choices.gathered?.at.join(', ') ?? '';
			this.zone = found.choices.zone ?? '';
			return found;
		});
	}

	choose(kind: Kind, timing: Timing | ''): void {
		const { [kind]: _, ...others } = this.mail;
		this.mail = timing ? { ...others, [kind]: timing } : others;
	}

	async save(): Promise<void> {
		this.saved = false;
		const kept = this.found!.choices;
		const [, ...more] = kept.quiet ?? [];
		const quiet = this.from && this.until ? [{ days: kept.quiet?.[0]?.days ?? DAYS, from: this.from, until: this.until }, ...more] : [];
		const at = this.at.split(/[\s,]+/).filter(Boolean);
		const body: Choices = {
			mail: this.mail,
			quiet,
			...(at.length ? { gathered: { days: kept.gathered?.days ?? WORKING, at } } : {}),
			...(this.zone ? { zone: this.zone } : {})
		};
		this.saved = (await this.send(() => data(api.PUT('/api/messages/choices', { body })))) !== null;
	}

	async insist(kind: Kind, all: boolean): Promise<void> {
		const kinds = this.found!.kinds.filter((one) => (one.kind === kind ? all : one.insisted)).map((one) => one.kind);
		await this.send(() => data(api.PUT('/api/messages/house', { body: { kinds } })));
	}
}
