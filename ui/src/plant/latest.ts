/**
 * One request of a kind at a time, the newest wished for next: on a slow line nothing piles up, and nothing is thrown away
 * but what nobody wants any more.
 *
 *     const read = latest(async (point: number) => …)     // read(1); read(2); read(3) asks for 1, then for 3
 */
export function latest<A extends unknown[]>(
  ask: (...args: A) => Promise<void>,
): (...args: A) => Promise<void> {
  let wished: A | null = null
  let running: Promise<void> | null = null
  async function run() {
    while (wished) {
      const args = wished
      wished = null
      try {
        await ask(...args)
      } catch {
        // Whoever asks tells its own troubles; the next wish is served all the same.
      }
    }
    running = null
  }
  return (...args: A) => {
    wished = args
    return (running ??= run())
  }
}
