import { dark, light, themes } from './tokens'

/** Relative luminance and contrast after WCAG 2.2. */
function luminance(hex: string): number {
  const channel = (i: number) => {
    const c = parseInt(hex.slice(i, i + 2), 16) / 255
    return c <= 0.04045 ? c / 12.92 : ((c + 0.055) / 1.055) ** 2.4
  }
  return 0.2126 * channel(1) + 0.7152 * channel(3) + 0.0722 * channel(5)
}
function contrast(a: string, b: string): number {
  const [high, low] = [luminance(a), luminance(b)].sort((x, y) => y - x) as [number, number]
  return (high + 0.05) / (low + 0.05)
}

const GROUNDS = ['background', 'surface', 'bar', 'band'] as const
const INKS = ['ink', 'quiet', 'copper', 'settle', 'bad', 'apart'] as const
const WASHES = [
  ['settle', 'settle-wash'],
  ['bad', 'bad-wash'],
  ['apart', 'apart-wash'],
  ['ink', 'copper-wash'],
  ['quiet', 'copper-wash'],
  ['rail-ink', 'rail'],
] as const

test.each([
  ['light', light],
  ['dark', dark],
])('text has a contrast of 4.5 on every ground, %s', (_, tokens) => {
  for (const ground of GROUNDS)
    for (const ink of INKS)
      if (!(ground === 'band' && ink !== 'ink' && ink !== 'quiet'))
        expect(contrast(tokens[ink], tokens[ground]), `${ink} on ${ground}`).toBeGreaterThanOrEqual(4.5)
  for (const [ink, wash] of WASHES)
    expect(contrast(tokens[ink], tokens[wash]), `${ink} on ${wash}`).toBeGreaterThanOrEqual(4.5)
})

test('what stands on copper can be read', () => {
  for (const theme of Object.values(themes()))
    expect(contrast(theme.colors['on-primary'], theme.colors.primary)).toBeGreaterThanOrEqual(4.5)
})
