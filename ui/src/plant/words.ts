/** Figures and ages as we show them: true minus, thin spaces, fixed decimals. Formatting only, no physics. */
const MINUS = '\u2212'
const THIN = '\u202f'

/** Decimals that show about one part in five thousand of a span. */
export function decimalsFor(low: string, high: string): number {
  const span = Math.abs(Number(high) - Number(low))
  if (!Number.isFinite(span) || span === 0) return 1
  return Math.min(6, Math.max(0, 3 - Math.floor(Math.log10(span))))
}

/** A number rounded as people do by hand: a five goes away from zero (156.25 is 156.3), as the server does. */
function rounded(value: number, decimals: number): string {
  const text = String(Math.abs(value))
  if (text.includes('e')) return Math.abs(value).toFixed(decimals)
  return Number(`${Math.round(Number(`${text}e${decimals}`))}e-${decimals}`).toFixed(decimals)
}

export function figure(value: number, decimals: number): string {
  if (Number.isNaN(value)) return ''
  const text = rounded(value, decimals)
  const [whole = '', fraction] = text.split('.')
  const grouped = whole.replace(/\B(?=(\d{3})+$)/g, THIN)
  const sign = value < 0 && Number(text) !== 0 ? MINUS : ''
  return sign + grouped + (fraction === undefined ? '' : `.${fraction}`)
}

/** A typed number as shown: the decimals as typed, a true minus, thin spaces. Other text stays as it is. */
export function asTyped(text: string): string {
  const found = /^(-?)(\d+)(\.\d+)?$/.exec(text)
  if (!found) return text
  const grouped = found[2]!.replace(/\B(?=(\d{3})+$)/g, THIN)
  return (found[1] ? MINUS : '') + grouped + (found[3] ?? '')
}

export function age(seconds: number): string {
  if (seconds < 90) return `${Math.round(seconds)} s`
  if (seconds < 5400) return `${Math.round(seconds / 60)} min`
  if (seconds < 172_800) return `${Math.round(seconds / 3600)} h`
  return `${Math.round(seconds / 86_400)} d`
}

export function clock(iso: string): string {
  const at = new Date(iso)
  const today = new Date().toDateString() === at.toDateString()
  const time = at.toLocaleTimeString([], {
    hour: '2-digit',
    minute: '2-digit',
    second: '2-digit',
    hour12: false,
  })
  return today ? time : `${at.toISOString().slice(0, 10)} ${time}`
}

/** A stored table or chain, one entry a line, for typing. */
export function toLines(text: string): string {
  return text.split('; ').join('\n')
}

/** What was typed or pasted from a sheet, as it is stored: entries apart by a semicolon, tabs as spaces. */
export function fromLines(text: string): string {
  const lines = text.split(/\r?\n/).map((line) => line.replace(/\t+/g, ' ').trim())
  return lines.filter(Boolean).join('; ')
}
