/**
 * One column of the list: each row's text. Most columns have few different texts in fifty thousand rows; they are kept as
 * numbers of those, a byte or two a row, and a question about texts is asked of each once.
 */

/** A column as it comes: its different texts, and a symbol for each row. */
export interface Packed {
  texts: string[]
  codes: string
}

/** The symbols of a packed column in their order: from # to ~ without the backslash. */
const FIRST_SYMBOL = 35
const LEFT_OUT = 92
/** A column of more different texts than this is kept as texts. */
const MOST_TEXTS = 255

export interface Column {
  readonly length: number
  at(row: number): string
  set(row: number, text: string): void
  push(text: string): void
  /** Whether the rows share few texts; then `of` answers a question for each text once. */
  readonly coded: boolean
}

/** Texts as they are. */
export class Texts implements Column {
  readonly coded = false
  constructor(private readonly texts: string[]) {}

  get length(): number {
    return this.texts.length
  }
  at(row: number): string {
    return this.texts[row] ?? ''
  }
  set(row: number, text: string): void {
    this.texts[row] = text
  }
  push(text: string): void {
    this.texts.push(text)
  }
}

/** Few texts, by their number. */
export class Coded implements Column {
  readonly coded = true
  length: number
  private readonly numbers: Map<string, number>

  constructor(
    readonly texts: string[],
    public codes: Uint8Array<ArrayBuffer>,
  ) {
    this.length = codes.length
    this.numbers = new Map(texts.map((text, code) => [text, code]))
  }

  static of({ texts, codes }: Packed): Coded {
    const numbers = new Uint8Array(codes.length)
    for (let row = 0; row < codes.length; row++) {
      const symbol = codes.charCodeAt(row)
      numbers[row] = symbol - FIRST_SYMBOL - (symbol > LEFT_OUT ? 1 : 0)
    }
    return new Coded([...texts], numbers)
  }

  at(row: number): string {
    return row >= 0 && row < this.length ? this.texts[this.codes[row]!]! : ''
  }

  /** Whether there is a number left for a text. */
  takes(text: string): boolean {
    return this.numbers.has(text) || this.texts.length <= MOST_TEXTS
  }

  set(row: number, text: string): void {
    this.codes[row] = this.number(text)
  }

  push(text: string): void {
    if (this.length === this.codes.length) {
      const larger = new Uint8Array(Math.ceil(1.5 * this.length) + 16)
      larger.set(this.codes)
      this.codes = larger
    }
    this.codes[this.length++] = this.number(text)
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

export const columnOf = (given: string[] | Packed): Column =>
  Array.isArray(given) ? new Texts(given) : Coded.of(given)
