/**
 * One column of the list: each row's text. Most columns have few different texts in fifty thousand rows; they are kept as
 * numbers of those, a byte a row, and a question about texts is asked of each once. The others are kept as one long text,
 * decoded when somebody looks, and searched as one.
 */

/** A column of more different texts than this is kept as texts. */
const MOST_CODED = 256
/** So many rows may say something else than the long text before it is made anew. */
const MOST_CHANGED = 1000

/** What a text has in it somewhere, in lower case: a word, or a pattern without flags. No hit goes over a line feed. */
export type Sought = string | RegExp

export interface Column {
  readonly length: number
  at(row: number): string
  set(row: number, text: string): void
  push(text: string): void
  /** Mark the rows in whose text something stands. */
  mark(sought: Sought, marks: Uint8Array): void
  /** Make ready what is sought in. */
  prepare(): void
}

const within = (text: string, sought: Sought) =>
  typeof sought === 'string' ? text.includes(sought) : sought.test(text)

/** Many texts: one long one with a line feed between two, and where each begins. */
export class Texts implements Column {
  private whole: string | undefined
  private begins: Uint32Array | undefined
  /** The long text in lower case, and where each row begins in it. */
  private lower: { whole: string; begins: Uint32Array } | undefined
  /** What rows say by now, and those that came since. */
  private readonly changed = new Map<number, string>()
  private rows: number

  /**
   * bytes: the texts in UTF-8, a line feed between two; lengths: of each in UTF-16 code units. Both are kept, and looked
   * into when the first text is asked for.
   */
  constructor(
    private bytes: Uint8Array,
    private lengths: Uint8Array | Uint16Array | Uint32Array,
  ) {
    this.rows = lengths.length
  }

  static of(texts: readonly string[]): Texts {
    return new Texts(
      new TextEncoder().encode(texts.join('\n')),
      Uint32Array.from(texts, (text) => text.length),
    )
  }

  get length(): number {
    return this.rows
  }

  at(row: number): string {
    if (this.changed.size) {
      const text = this.changed.get(row)
      if (text !== undefined) return text
    }
    if (this.whole === undefined) this.open()
    return row < this.lengths.length
      ? this.whole!.substring(this.begins![row]!, this.begins![row + 1]! - 1)
      : ''
  }

  set(row: number, text: string): void {
    this.changed.set(row, text)
    if (this.changed.size > MOST_CHANGED) this.settle()
  }

  push(text: string): void {
    this.set(this.rows++, text)
  }

  mark(sought: Sought, marks: Uint8Array): void {
    const { whole, begins } = this.inLower()
    const next = seeker(whole, sought)
    for (let at = next(0), row = 0; at >= 0; at = next(begins[row + 1]!)) {
      row = rowAt(begins, at, row)
      if (!this.changed.has(row)) marks[row] = 1
    }
    for (const [changed, text] of this.changed) if (within(text.toLowerCase(), sought)) marks[changed] = 1
  }

  prepare(): void {
    this.inLower()
  }

  private open(): void {
    // A byte order mark is a letter like others here: taken away, every row after it would lose its place.
    this.whole = new TextDecoder('utf-8', { ignoreBOM: true }).decode(this.bytes)
    this.begins = beginsOf(this.lengths)
    this.bytes = new Uint8Array()
  }

  /** Few letters have a small form of another length; where one has, each row is looked at alone. */
  private inLower() {
    if (this.lower) return this.lower
    if (this.whole === undefined) this.open()
    const whole = this.whole!.toLowerCase()
    if (whole.length === this.whole!.length) return (this.lower = { whole, begins: this.begins! })
    const texts = Array.from(this.lengths, (length, row) =>
      this.whole!.substr(this.begins![row]!, length).toLowerCase(),
    )
    const begins = beginsOf(Uint32Array.from(texts, (text) => text.length))
    return (this.lower = { whole: texts.join('\n'), begins })
  }

  /** Take what changed into the long text. */
  private settle(): void {
    const texts = Array.from({ length: this.rows }, (_, row) => this.at(row))
    this.whole = texts.join('\n')
    this.lengths = Uint32Array.from(texts, (text) => text.length)
    this.begins = beginsOf(this.lengths)
    this.lower = undefined
    this.changed.clear()
  }
}

/** Where each row's text begins in the long one, and at the end where one more would. */
function beginsOf(lengths: ArrayLike<number>): Uint32Array {
  const begins = new Uint32Array(lengths.length + 1)
  for (let row = 0; row < lengths.length; row++) begins[row + 1] = begins[row]! + lengths[row]! + 1
  return begins
}

/** Says where something stands next in a text, from a place on; −1 for nowhere. */
function seeker(whole: string, sought: Sought): (from: number) => number {
  if (typeof sought === 'string') return (from) => whole.indexOf(sought, from)
  const pattern = new RegExp(sought, 'g')
  return (from) => {
    pattern.lastIndex = from
    return pattern.exec(whole)?.index ?? -1
  }
}

/** The row in whose text a place of the long text is, at least `from`. */
function rowAt(begins: Uint32Array, place: number, from: number): number {
  let low = from
  let high = begins.length - 2
  while (low < high) {
    const middle = (low + high + 1) >> 1
    if (begins[middle]! <= place) low = middle
    else high = middle - 1
  }
  return low
}

/** Few texts, by their number. */
export class Coded implements Column {
  length: number
  private readonly numbers: Map<string, number>
  /** As they came, so many bits a row, until the first row is asked for. */
  private came: { bytes: Uint8Array; bits: number } | undefined

  constructor(
    readonly texts: string[],
    private codes: Uint8Array,
  ) {
    this.length = codes.length
    this.numbers = new Map(texts.map((text, code) => [text, code]))
  }

  /** bytes: for each row so many bits, the first row's lowest. */
  static packed(texts: string[], rows: number, bytes: Uint8Array, bits: number): Coded {
    const made = new Coded(texts, new Uint8Array())
    made.length = rows
    made.came = { bytes, bits }
    return made
  }

  private open(): void {
    const { bytes, bits } = this.came!
    this.came = undefined
    this.codes = new Uint8Array(this.length)
    if (!bits) return
    const mask = (1 << bits) - 1
    const shift = Math.log2(8 / bits)
    for (let row = 0; row < this.length; row++)
      this.codes[row] = (bytes[row >> shift]! >> (bits * (row & ((1 << shift) - 1)))) & mask
  }

  at(row: number): string {
    if (this.came) this.open()
    return row >= 0 && row < this.length ? this.texts[this.codes[row]!]! : ''
  }

  /** Whether there is a number left for a text. */
  takes(text: string): boolean {
    return this.numbers.has(text) || this.texts.length < MOST_CODED
  }

  set(row: number, text: string): void {
    if (this.came) this.open()
    this.codes[row] = this.number(text)
  }

  push(text: string): void {
    if (this.came) this.open()
    if (this.length === this.codes.length) {
      const larger = new Uint8Array(Math.ceil(1.5 * this.length) + 16)
      larger.set(this.codes)
      this.codes = larger
    }
    this.codes[this.length++] = this.number(text)
  }

  mark(sought: Sought, marks: Uint8Array): void {
    const fits = this.texts.map((text) => text !== '' && within(text.toLowerCase(), sought))
    if (!fits.includes(true)) return
    if (this.came) this.open()
    for (let row = 0; row < this.length; row++) if (fits[this.codes[row]!]) marks[row] = 1
  }

  prepare(): void {
    if (this.came) this.open()
  }

  /** Each row's text. */
  all(): string[] {
    return Array.from({ length: this.length }, (_, row) => this.at(row))
  }

  private number(text: string): number {
    let code = this.numbers.get(text)
    if (code === undefined) {
      code = this.texts.push(text) - 1
      this.numbers.set(text, code)
    }
    return code
  }
}

export const columnOf = (given: readonly string[] | Column): Column =>
  Array.isArray(given) ? Texts.of(given as readonly string[]) : (given as Column)
