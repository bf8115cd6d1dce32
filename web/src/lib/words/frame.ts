// The frame around every view, what opens over it, and signing in.
export const frame = {
	skipToTheContent: 'Skip to the content',
	name: 'Dogana',
	views: 'Views',
	find: 'Find',
	signOut: 'Sign out',
	routes: 'Routes',
	viewFailed: 'This view cannot be shown. Nothing was lost or decided by that.',
	doganaCannotBeOpened: 'Dogana cannot be opened',
	tryAgain: 'Try again',
	lost: 'Connection lost; what you see may be old. Trying again.',
	byDay: 'By day',
	byNight: 'By night',
	unreachable: 'Dogana cannot be reached. Nothing was decided; try again.',
	fault: 'Something went wrong. Nothing was decided.',
	keysAndWhat: 'Show the keys'
};

export const lost = {
	noPage: 'There is no such page',
	wentWrong: 'Something went wrong'
};

export const palette = {
	whatToFind: 'What to find',
	whatThereIs: 'A promotion, service, rule, person, view, or what to do…',
	found: 'Found',
	nothingOfThatName: 'Nothing of that name.',
	findAndGo: 'Find and go',
	view: 'View',
	entries: 'Entries',
	where: 'Where',
	whereIs: (words: string) => `is “${words}”?`,
	withWords: (words: string) => `with “${words}”`,
	promotion: 'Promotion',
	into: (release: string, place: string) => `${release} into ${place}`,
	policy: 'Policy',
	rule: 'Rule',
	person: 'Person',
	act: 'Do',
	next: 'Open the next that waits for me',
	tonight: (place: string) => `Close ${place} tonight`,
	closeNow: (place: string) => `Close ${place} at once`,
	ask: 'Ask for a promotion'
};

export const routeLine = {
	takesIn: (at: string) => `takes in ${at}`,
	closedBy: (what: string) => `Closed by ${what}`,
	open: 'Open',
	waiting: (count: number) => `${count} waiting`,
	moving: (count: number) => `${count} moving`,
	nothingWaits: 'nothing waits',
	closedUntil: (at: string) => `closed until ${at}`
};

export const openThere = {
	history: 'What landed there',
	open: 'Open it there'
};

export const welcome = {
	title: 'Choose a password · Dogana',
	head: 'Choose your password',
	about: 'At least twelve characters. Nobody else knows it, and nobody else can set it.',
	password: 'Password',
	again: 'Once more',
	differ: 'The two are not the same.',
	choose: 'Save',
	done: 'Your password is set.',
	signIn: 'Sign in',
	noInvitation: 'This address carries no invitation. Open the one that you were given, whole.'
};

export const signIn = {
	title: 'Sign in · Dogana',
	name: 'Dogana',
	motto: 'Nothing enters unseen, nothing waits without a reason.',
	mailAddress: 'Mail address',
	password: 'Password',
	signIn: 'Sign in',
	signingIn: 'Signing in…'
};
