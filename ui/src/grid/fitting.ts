/** Texts cut to a width the way a canvas draws them, with what was measured kept. */

export interface Measures {
  font: string
  measureText(text: string): { width: number }
}

const MOST_KEPT = 20_000
const CUT = '…'
/** Letters that every font here has, none of them wider than it is high. */
const PLAIN = /^[ -~]*$/

export class Fitting {
  /** The font that is set; asking the canvas for it takes longer than measuring. */
  font = ''
  private widths = new Map<string, Map<string, number>>()
  private cuts = new Map<string, Map<string, string>>()
  private of: Map<string, number> = new Map()
  private kept = 0
  /** Width of each plain letter of the font that is set, 0 where they differ; its height, px. */
  private even = 0
  private size = 0

  constructor(private readonly on: Measures) {}

  /** Measure and draw in this font from now on. */
  use(font: string): void {
    if (font === this.font) return
    this.on.font = this.font = font
    const known = this.widths.get(font)
    if (known) this.of = known
    else this.widths.set(font, (this.of = new Map()))
    this.size = Number(/([\d.]+)px/.exec(font)?.[1] ?? 0)
    this.even = 0
    const [narrow, wide] = [this.width('i'), this.width('W')]
    this.even = narrow === wide ? wide : 0
  }

  /** Width of a text, CSS pixels. */
  width(text: string): number {
    if (this.even && PLAIN.test(text)) return text.length * this.even
    let width = this.of.get(text)
    if (width === undefined) {
      if (++this.kept > MOST_KEPT) this.forget()
      this.of.set(text, (width = this.on.measureText(text).width))
    }
    return width
  }

  /** The text, or as much of its beginning as fits with a sign that it goes on; of its end where that tells one from the
   * other, as of addresses. */
  cut(text: string, room: number, keeps: 'begin' | 'end' = 'begin'): string {
    if (room <= 0) return ''
    // Most texts are far from filling their cell, and need no measuring.
    if (this.size && text.length * this.size <= room && PLAIN.test(text)) return text
    if (this.width(text) <= room) return text
    const key = `${this.font}\n${room}\n${keeps}`
    let cuts = this.cuts.get(key)
    if (!cuts) this.cuts.set(key, (cuts = new Map()))
    let cut = cuts.get(text)
    if (cut !== undefined) return cut
    const even = this.even && PLAIN.test(text) ? this.even : 0
    const part = (letters: number) =>
      keeps === 'end' ? CUT + text.slice(text.length - letters) : text.slice(0, letters) + CUT
    const upTo = (letters: number) =>
      even ? letters * even + this.width(CUT) : this.on.measureText(part(letters)).width
    let low = 0
    let high = text.length
    while (low < high) {
      const middle = Math.ceil((low + high) / 2)
      if (upTo(middle) <= room) low = middle
      else high = middle - 1
    }
    // Half a character is none.
    const half =
      keeps === 'end'
        ? /[\uDC00-\uDFFF]/.test(text[text.length - low]!)
        : /[\uD800-\uDBFF]/.test(text[low - 1]!)
    if (low && half) low--
    cut = low ? part(low) : ''
    if (++this.kept > MOST_KEPT) this.forget()
    else cuts.set(text, cut)
    return cut
  }

  /** Measure anew: other fonts have come, or the canvas was made anew. */
  forget(): void {
    this.widths.clear()
    this.cuts.clear()
    this.kept = 0
    const { font } = this
    this.font = ''
    if (font) this.use(font)
  }
}
