// What the settings of a rule may name: groups, people, calendars and services, by what they are called.
import { api, data } from '$lib/api/client';
import type { Property } from '$lib/api/json-schema';

export type Names = Record<string, Record<string, string>>;
const MOST = 24;

/** By the setting that names them, what each is called by its id. */
export async function namesOfAll(): Promise<Names> {
	const [groups, people, calendars, services] = await Promise.all([
		data(api.GET('/api/groups')),
		data(api.GET('/api/people')),
		data(api.GET('/api/calendars')),
		data(api.GET('/api/services'))
	]);
	const byId = (all: { id: string; name: string }[]) => Object.fromEntries(all.map((one) => [one.id, one.name]));
	const titled = (all: Record<string, { title?: string }>) => Object.fromEntries(Object.entries(all).map(([id, one]) => [id, one.title ?? id]));
	const group = byId(groups);
	const shared = Object.fromEntries(Object.keys(calendars).map((id) => [id, id.replaceAll('-', ' ')]));
	const service = titled(services);
	return { group, waivable: group, people: byId(people), calendars: shared, holiday_calendars: shared, service, services: service };
}

/** The settings with those that name something as a choice of what there is. */
export function choosing(settings: Property[], names: Names): Property[] {
	return settings.map((one) => {
		const of = choosing(one.of, names);
		const choices = Object.keys(names[one.name] ?? {});
		const kind = one.kind === 'text' ? 'choice' : one.kind === 'list' && choices.length <= MOST ? 'choices' : one.kind;
		return choices.length && kind !== one.kind ? { ...one, of, kind, choices, called: names[one.name] ?? {} } : { ...one, of };
	});
}
