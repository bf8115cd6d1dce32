// One promotion going in step by step, and what people say to it.
import { api, data, saying, type Course } from '$lib/api/client';
import { Loader } from '$lib/state/loader.svelte';

export type Word = 'go-on' | 'halt' | 'cancel';

export class CourseState extends Loader<Course | null> {
	course = $state<Course | null>(null);
	refused = $state('');
	busy = $state<Word | null>(null);
	reason = $state('');

	constructor(private readonly number: () => number) {
		super(
			() => data(api.GET('/api/promotions/{number}/course', { params: { path: { number: number() } } })),
			(found) => (this.course = found)
		);
	}

	/** Say it, with the reason that was typed, which stays if it is refused. */
	async say(word: Word): Promise<void> {
		if (this.busy) return;
		this.busy = word;
		this.refused = '';
		const given = { params: { path: { number: this.number() } }, body: { comment: this.reason.trim() } };
		try {
			if (word === 'go-on') await data(api.POST('/api/promotions/{number}/go-on', given));
			else if (word === 'halt') await data(api.POST('/api/promotions/{number}/halt', given));
			else await data(api.POST('/api/promotions/{number}/cancel', given));
			this.reason = '';
		} catch (error) {
			this.refused = saying(error);
		} finally {
			this.busy = null;
			await this.load();
		}
	}
}
