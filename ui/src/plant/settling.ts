/**
 * The newest samples of a point's counts, until there are as many as a level takes: how they scatter, and whether they lie
 * as close together as they must. Whether the level is taken the server says.
 *
 *     const settling = new Settling(20, 16); settling.take(reading); settling.now().still
 */
export interface Settled {
  counts: (number | null)[]
  mean: number
  /** Standard deviation, with one less than there are samples. */
  sigma: number
  still: boolean
}

export class Settling {
  private seen: { at: number; counts: number | null }[] = []

  constructor(
    readonly samples: number,
    private readonly scatter: number,
  ) {}

  take(reading: { readAt: number; counts: number; quality: string }): void {
    if (this.seen.at(-1)?.at === reading.readAt) return
    const good =
      (reading.quality === 'good' || reading.quality === 'doubtful') && !Number.isNaN(reading.counts)
    this.seen = [...this.seen, { at: reading.readAt, counts: good ? reading.counts : null }].slice(
      -this.samples,
    )
  }

  now(): Settled {
    const counts = this.seen.map((s) => s.counts)
    const good = counts.filter((c): c is number => c !== null)
    const mean = good.reduce((sum, c) => sum + c, 0) / good.length
    const sigma =
      good.length > 1 ? Math.sqrt(good.reduce((sum, c) => sum + (c - mean) ** 2, 0) / (good.length - 1)) : 0
    const still = good.length === this.samples && counts.length === this.samples && sigma <= this.scatter
    return { counts, mean, sigma, still }
  }

  again(): void {
    this.seen = []
  }
}
