// What is asked before something is done that cannot be taken back.
export interface Asked {
	/** What will happen, a question. */
	text: string;
	/** What the button says that does it. */
	act: string;
	answer: (yes: boolean) => void;
}

export const asked = $state<{ now: Asked | null }>({ now: null });

/** Ask; gives whether to go on. Whoever closes it does not want to. */
export function sure(text: string, act: string): Promise<boolean> {
	return new Promise((answer) => {
		asked.now?.answer(false);
		asked.now = { text, act, answer };
	});
}
