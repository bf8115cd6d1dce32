import { expect, test } from 'vitest';
import { withThe } from './address';

test('the rest of the address stays', () => {
	const url = new URL('http://dogana/desk?at=bench&words=a%20b');
	expect(withThe(url, { at: 'live', span: '6h' })).toBe('/desk?at=live&words=a+b&span=6h');
	expect(withThe(url, { at: null, words: '' })).toBe('/desk');
});
