// The frame around every view, what opens over it, and signing in.
export const frame = {
	skipToTheContent: 'Skip to the content',
	name: 'Dogana',
	views: 'Views',
	find: 'Find',
	signOut: 'Sign out',
	stepUp: 'This weighs so much that it takes a fresh sign-in. Sign in again now? You come back here and do it once more; what you typed here is not saved.',
	signInAgain: 'Sign in again',
	routes: 'Routes',
	viewFailed: 'This view cannot be shown. Nothing was lost or decided by that.',
	partFailed: 'This part cannot be shown, and what it says is not known here. Nothing was lost or decided by that.',
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
	signingIn: 'Signing in…',
	at: (directory: string) => `Sign in at ${directory}`,
	byPassword: 'By a password',
	closed: 'Passwords are closed here, but for emergencies.',
	/** Why somebody who came from the directory was not let in. */
	refused: {
		away: 'The directory does not answer just now. Try again in a moment.',
		late: 'That took longer than ten minutes. Begin again.',
		other: 'That was not the attempt that began in this browser. Begin again.',
		unbelieved: 'The directory did not say who you are. Begin again.',
		weak: 'The directory did not have you sign in anew, or not as strongly as is asked. Begin again.',
		unknown: 'Nobody here has that account. Ask an administrator to set you up by your mail address.',
		disabled: 'Your access has ended. Ask an administrator.',
		nothing: 'What you are in the directory comes to nothing here. Ask whoever keeps its groups.',
		impossible: 'What the directory says of you cannot be applied here. Ask an administrator.'
	} as Record<string, string>
};
