// The ledger.
import { counted } from './common';

export const ledger = {
	title: 'Ledger · Dogana',
	ledger: 'Ledger',
	entries: (count: number) => counted(count, 'entry', 'entries'),
	checkpoint: (size: string, at: string) => `${size} entries under a signed checkpoint, ${at}`,
	treeHead: (root: string) => `tree head ${root}…`,
	words: 'Words',
	inAnyEntry: 'in any entry',
	any: 'any',
	all: 'All',
	noneFits: 'No entry fits. Loosen a filter.',
	none: 'Nothing has been decided yet. The first request writes the first entry.',
	reading: 'Reading…',
	older: 'Older entries'
};
