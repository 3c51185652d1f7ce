/** What a trend may join with a line, and what it may not. */

/** What was read lately is written when a trend is asked for: with the rack's next scan, ms. */
export const SCAN_LATER_MS = 2_500
/** And at the latest a part later, where a rack is slow, ms. */
export const PART_LATER_MS = 11_000

/** So many readings are kept as they came; more than the shortest ranges need are asked for drawn together. */
export const MOST_RECENT = 1200

/** How often the board asks anew for the past of its cards, ms: by itself it goes on with every reading. */
export const BOARD_AGAIN_MS = 600_000

/** In how many columns the board asks for the past of its cards. */
export const CARD_COLUMNS = 100

/** Least, mean and most at a time (s): none where there was no good value. */
export interface Sample {
  t: number
  mean: number | null
  least: number | null
  most: number | null
}

/**
 * The samples with a gap wherever nothing is known for longer than `longest` seconds: a line drawn across it would say
 * what nobody has read.
 *
 *     withGaps(samples, 3)
 */
export function withGaps(samples: readonly Sample[], longest: number): Sample[] {
  return samples.flatMap((sample, k) => {
    const before = samples[k - 1]
    if (!before || sample.t - before.t <= longest) return [sample]
    return [{ t: (sample.t + before.t) / 2, mean: null, least: null, most: null }, sample]
  })
}
