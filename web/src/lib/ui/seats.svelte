<!-- The seats of a promotion as small places: who sits, who is asked, which could be mine. -->
<script lang="ts">
	import type { Seat } from '$lib/api/client';
	import { capital, initials } from '$lib/words';
	import { seats as say } from '$lib/words/desk';
	let { seats }: { seats: Seat[] } = $props();
</script>

{#if seats.length}
	<ul class="seats">
		{#each seats as seat, n (n)}
			<li data-taken={seat.taken_by !== null} data-yours={seat.yours}>
				<span class="place" aria-hidden="true">{seat.taken_by ? initials(seat.taken_by.name) : ''}</span>
				{#if seat.taken_by}
					<span class="who">
						{seat.taken_by.name}{#if seat.taken_for}{' '}<span class="soft">{say.for(seat.taken_for.name)}</span>{/if}<span class="sr-only">{say.alsoFor(seat.label)}</span>
					</span>
				{:else}
					<span class="who soft"><em>{capital(seat.label)}{seat.later ? say.later : ''}</em><span class="sr-only">{seat.later ? '' : say.open}</span></span>
				{/if}
			</li>
		{/each}
	</ul>
{:else}
	<span class="soft">{say.noSeats}</span>
{/if}

<style>
	.seats {
		display: grid;
		gap: 2px;
	}
	li {
		display: flex;
		align-items: center;
		gap: 0.45rem;
		min-width: 0;
		font-size: var(--text-note);
		line-height: 18px;
	}
	.place {
		flex: none;
		width: 24px;
		height: 17px;
		display: grid;
		place-items: center;
		font-size: var(--text-tiny);
		font-weight: 600;
		letter-spacing: 0.02em;
		border: 1px dashed var(--hair-strong);
		border-bottom: 2px solid var(--hair-strong);
	}
	[data-taken='true'] .place {
		border: 1px solid var(--ink);
		background: var(--ink);
		color: var(--paper);
	}
	[data-taken='false'][data-yours='true'] .place {
		border: 1.5px solid var(--wax);
		border-bottom-width: 3px;
	}
	[data-taken='false'][data-yours='true'] .who {
		color: var(--ink);
	}
	.who {
		/* The last letter of italics leans out. */
		padding-right: 3px;
		overflow: hidden;
		text-overflow: ellipsis;
		white-space: nowrap;
	}
</style>
