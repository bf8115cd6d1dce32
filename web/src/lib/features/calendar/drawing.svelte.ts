// A freeze while it is drawn: what closes, from when until when, and what that would delay, before anything is kept.
import type { Board, Timeline } from '$lib/api/client';
import { Writing } from '$lib/features/policies/writing.svelte';
import { HOUR, instant, wall } from '$lib/time/time';
import { calendar as say } from '$lib/words/calendar';
import { windowIn, withFreeze, type Moved } from './freeze';

export type Closing = Timeline['lanes'][number]['closings'][number];
const NIGHT = { begins: '20:00', ms: 10 * HOUR };

export interface Shape {
	environment: string;
	title: string;
	zone: string;
	name: string;
	from: number;
	until: number;
	/** The window of a policy that is put elsewhere; none for a new one. */
	moved?: Moved;
	/** Whether that window comes again and again, and every one of it is changed. */
	again: boolean;
	all: boolean;
	/** Whether it was begun without a pointer: one goes on in its form. */
	keyed: boolean;
}

export class Drawing {
	shape = $state.raw<Shape | null>(null);
	writing = $state<Writing | null>(null);
	/** What was kept last. */
	done = $state('');

	constructor(
		private readonly board: () => Board | null,
		private readonly lanes: () => Timeline['lanes']
	) {}

	/** Close an environment from one instant to another; its effect is asked for at once. */
	close(environment: string, from: number, until: number, closing?: Closing, keyed = false): void {
		const lane = this.lanes().find((one) => one.environment.id === environment);
		const source = this.#source(environment);
		if (!lane || source === null) return;
		const { zone, name: title } = lane.environment;
		const was = closing && { rule: closing.rule, name: closing.name, from: wall(Date.parse(closing.start), zone), until: wall(Date.parse(closing.end), zone) };
		const stands = was ? windowIn(source, was) : null;
		// What was named stays named so while it is dragged.
		const before = this.shape?.environment === environment && this.shape.moved?.rule === was?.rule ? this.shape : null;
		const again = stands === 'again';
		this.done = '';
		this.shape = { environment, title, zone, name: before?.name ?? closing?.name ?? say.byHand, from, until, moved: stands ? was : undefined, again, all: again && (before?.all ?? false), keyed };
		if (this.writing?.environment !== environment) this.writing = new Writing(environment, source, source);
		this.#rewrite();
	}

	/** From the evening of a day to the next morning, by the clock of the environment. */
	tonight(environment: string, today: number): void {
		const zone = this.lanes().find((one) => one.environment.id === environment)?.environment.zone;
		if (!zone) return;
		const from = instant(`${wall(today, zone).slice(0, 10)}T${NIGHT.begins}`, zone) ?? today;
		this.close(environment, from, from + NIGHT.ms, undefined, true);
	}

	/** Write the policy with the freeze as it is drawn now. */
	#rewrite(): void {
		const { shape, writing } = this;
		const source = shape && this.#source(shape.environment);
		if (!shape || !writing || source === null) return;
		const { zone, moved, all } = shape;
		writing.write(withFreeze(source, { name: shape.name.trim() || say.byHand, from: wall(shape.from, zone), until: wall(shape.until, zone) }, zone, moved, all));
	}

	change(to: Partial<Pick<Shape, 'name' | 'from' | 'until' | 'all'>>): void {
		if (this.shape) this.shape = { ...this.shape, ...to };
		this.#rewrite();
	}

	async keep(): Promise<void> {
		const version = await this.writing?.draft();
		if (!version || !this.shape) return;
		this.done = say.drafted(version, this.shape.title);
		this.leave();
	}

	leave(): void {
		this.writing?.stop();
		this.shape = null;
		this.writing = null;
	}

	#source(environment: string): string | null {
		return this.board()?.columns.find((one) => one.environment.id === environment)?.source ?? null;
	}
}
