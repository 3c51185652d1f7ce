/** Work for when the browser has time: a little at a time, so that no key waits for it. */

/** Runs something when the browser has time for it, or calls that off. */
export interface Time {
  later: (work: () => void) => number
  never: (waiting: number) => void
}

const WAITS_MS = 200
// Not every browser has time to give; then its next turn is as good.
const gives = typeof requestIdleCallback === 'function'

export const idleTime: Time = {
  later: (work) => (gives ? requestIdleCallback(work, { timeout: WAITS_MS }) : Number(setTimeout(work))),
  never: (waiting) => (gives ? cancelIdleCallback(waiting) : clearTimeout(waiting)),
}

/** Take step after step of something, one each time the browser has time. */
export function stepwise(steps: Iterator<void>, time: Time = idleTime): void {
  const step = () => {
    if (!steps.next().done) time.later(step)
  }
  time.later(step)
}
