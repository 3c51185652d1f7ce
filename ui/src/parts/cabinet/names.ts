/** Names of channels in a row: the last number of the first one runs on, as far as the rack has those names. */
export function numbered(first: string, known: ReadonlySet<string>, count: number): string[] {
  const runs = [...first.matchAll(/\d+/g)]
  const last = runs.at(-1)
  const out = [first]
  if (!last) return out
  const digits = last[0]
  for (let k = 1; k < count; k++) {
    const number = String(BigInt(digits) + BigInt(k)).padStart(digits.length, '0')
    const name = first.slice(0, last.index) + number + first.slice(last.index + digits.length)
    if (known.size && !known.has(name)) break
    out.push(name)
  }
  return out
}
