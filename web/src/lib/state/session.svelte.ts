// Who is signed in. One for the whole page.
import { api, data, useCsrfToken, type Me } from '$lib/api/client';
import { forgetAll } from './typed.svelte';

class Session {
	me = $state<Me | null>(null);

	async resume(): Promise<Me> {
		return this.#take(await data(api.GET('/api/me')));
	}

	async begin(email: string, password: string): Promise<Me> {
		return this.#take(await data(api.POST('/api/session', { body: { email, password } })));
	}

	/** End it; gives where one signs out of the directory too. */
	async end(): Promise<string | null> {
		const { then } = await data(api.DELETE('/api/session'));
		forgetAll();
		this.me = null;
		return then;
	}

	/** The zone of what concerns no one environment. */
	get zone(): string {
		return this.me?.zone ?? 'UTC';
	}

	/** Whether whoever is signed in has a right. */
	may(right: Me['rights'][number]): boolean {
		return this.me?.rights.includes(right) ?? false;
	}

	#take(me: Me): Me {
		useCsrfToken(me.csrf_token);
		this.me = me;
		return me;
	}
}

export const session = new Session();
