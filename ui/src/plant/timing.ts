/** What timing strips are drawn with: square lines, spans of one state, and the edges of bands in their text. */

/** A square line of two states, high for 1; a state below zero leaves a gap. */
export function squareLine(
  times: number[],
  states: number[],
  x: (t: number) => number,
  width: number,
  top: number,
  bottom: number,
): string {
  let out = ''
  let pen = false
  states.forEach((state, i) => {
    const at = x(times[i]!)
    const y = state > 0 ? top : bottom
    if (state < 0) {
      if (pen) out += `H${at}`
      pen = false
    } else if (!pen) {
      out += `M${at} ${y}`
      pen = true
    } else if (state !== states[i - 1]) out += `H${at}V${y}`
  })
  return pen ? `${out}H${width}` : out
}

/** Spans of time in one state each; those below zero are left out. */
export function blocks(
  times: number[],
  states: number[],
  ends: number,
): { from: number; to: number; state: number }[] {
  const out: { from: number; to: number; state: number }[] = []
  states.forEach((state, i) => {
    if (i && state === states[i - 1]) return
    const last = out.at(-1)
    if (last && last.to === ends) last.to = times[i]!
    if (state >= 0) out.push({ from: times[i]!, to: ends, state })
  })
  return out
}

/** A level rounded to what the eye can choose: a two-hundredth of the span, in round figures. */
export function rounded(level: number, span: number): string {
  const step = 10 ** Math.floor(Math.log10(Math.abs(span) / 200))
  const decimals = Math.max(0, -Math.floor(Math.log10(step)))
  return String(Number((Math.round(level / step) * step).toFixed(decimals)))
}

/** The edges in a text of bands, "low < 20 < normal < 80 < high": every second part. */
export function edgesOf(bands: string): number[] {
  return bands.split(' < ').flatMap((part, i) => (i % 2 ? [Number(part)] : []))
}

/** A text of bands with one edge at another level. */
export function withEdge(bands: string, edge: number, level: string): string {
  return bands
    .split(' < ')
    .map((part, i) => (i === 2 * edge + 1 ? level : part))
    .join(' < ')
}
