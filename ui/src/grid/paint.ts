/**
 * Draws the cells in sight on a canvas: the whole picture at once, in a few milliseconds, so that scrolling never
 * shows a blank row. What a reader or a test meets are the elements of `RowsAtRest`, at the same places.
 */
import type { Schemas } from '../api/client'
import type { Group } from '../plant/order'
import { figures, toTheRight, type Content, type Contents, type Part, type Tone } from './contents'
import type { Fitting } from './fitting'
import { isGroup } from './rows'
import { holds, type Block, type Selection } from './selection'
import { columnsIn, cornerOf, edges, rowsIn, type Sight } from './sight'

type Field = Schemas['FieldOut']

/** What is drawn from. Colours are those of the theme, by name. */
export interface Picture {
  sight: Sight
  rows: readonly number[]
  rowHeight: number
  fields: readonly Field[]
  groups: readonly Group[]
  contents: Contents
  selection: Selection
  block: Block
  /** The cell being typed into has an element of its own. */
  editing: boolean
  colours: Record<string, string>
}

const SANS = '"IBM Plex Sans", sans-serif'
const MONO = '"IBM Plex Mono", monospace'
const FONTS = {
  words: `12px ${SANS}`,
  bold: `600 12px ${SANS}`,
  figures: `12px ${MONO}`,
  tag: `600 12px ${MONO}`,
  stale: `italic 12px ${MONO}`,
  bad: `600 12px ${MONO}`,
  small: `10px ${SANS}`,
}
/** The fonts that must have come before anything is drawn right. */
export const NEEDED = Object.values(FONTS)

const PAD = 5
const TONES: Record<Tone, string> = {
  '': 'ink',
  quiet: 'quiet',
  stale: 'quiet',
  settle: 'settle',
  bad: 'bad',
  apart: 'apart',
}
const GROUP_GAP = 8
/** Side of the corner of a selection, CSS pixels. */
export const CORNER = 6
/** How strongly a selected cell and the first line of a station take the copper. */
const PICKED = 0.16
const STATION = 0.35

function fontOf(field: Field, tone: Tone): string {
  if (field.kind === 'live')
    return tone === 'stale' ? FONTS.stale : tone === 'bad' ? FONTS.bad : FONTS.figures
  return figures(field) ? FONTS.figures : FONTS.words
}

export class Painter {
  private colours: Record<string, string> = {}

  constructor(
    private readonly on: CanvasRenderingContext2D,
    private readonly fitting: Fitting,
  ) {}

  /** Draws a part of the list at a height of the canvas; the part's own sight says how tall it is. */
  draw(picture: Picture, from = 0): void {
    const { width, height } = picture.sight
    this.within(0, from, width, height, () => {
      if (from) this.on.translate(0, from)
      this.part(picture)
    })
  }

  /** The edge under the rows that stay. */
  edge(y: number, width: number): void {
    this.fill('copper', 0, y - 2, width, 2)
  }

  private part(picture: Picture): void {
    const { sight, rows, rowHeight, fields } = picture
    this.colours = picture.colours
    picture.contents.begin()
    const lefts = edges(fields.map((field) => field.width))
    const { first, last } = rowsIn(sight, { rowHeight, rows: rows.length, widths: [] })
    this.fill('background', 0, 0, sight.width, sight.height)
    if (last < first || !fields.length) return
    const shown = { ...picture, lefts, first, last }
    const frozen = lefts[1]!
    const bottom = (last + 1) * rowHeight - sight.top
    const right = Math.min(sight.width, lefts.at(-1)! - sight.left)
    this.fill('surface', 0, 0, Math.max(right, frozen), bottom)
    this.within(frozen, 0, sight.width - frozen, sight.height, () => {
      for (const c of columnsIn(sight, lefts)) this.column(shown, c, lefts[c]! - sight.left)
    })
    this.fill('surface', 0, 0, frozen, bottom)
    this.column(shown, 0, 0)
    this.lines(shown, bottom, Math.max(right, frozen))
    for (let index = first; index <= last; index++) if (isGroup(rows[index]!)) this.group(shown, index)
    this.hand(shown)
    if (!picture.editing && picture.rows[picture.block.bottom]! >= 0) this.corner(shown)
  }

  private column(picture: Shown, c: number, x: number): void {
    const { rows, rowHeight, fields, first, last, sight, block, selection, colours } = picture
    const field = fields[c]!
    for (let index = first; index <= last; index++) {
      const row = rows[index]!
      if (isGroup(row)) continue
      const y = index * rowHeight - sight.top
      const content = picture.contents.cell(row, field)
      const active = index === selection.active.row && c === selection.active.col
      if (index === selection.active.row) this.fill('copper-wash', x, y, field.width, rowHeight)
      if (!active && holds(block, index, c)) {
        this.on.globalAlpha = PICKED
        this.fill('copper', x, y, field.width, rowHeight)
        this.on.globalAlpha = 1
      }
      if (content.state === 'held') this.fill('apart-wash', x, y, field.width, rowHeight)
      if (content.state === 'refused' || content.state === 'conflict')
        this.fill('bad-wash', x, y, field.width, rowHeight)
      if (!(active && picture.editing)) this.texts(picture, content, row, c, x, y)
      if (content.marked === 'settle' || content.marked === 'bad')
        this.fill(content.marked, x, y + rowHeight - 3, field.width - 1, 2)
      if (content.state === 'held')
        this.dashed(colours.apart!, x + 1.5, y + 1.5, field.width - 4, rowHeight - 4)
      if (content.others.length) this.others(picture, content, x, y, field.width)
    }
  }

  private texts(picture: Shown, content: Content, row: number, c: number, x: number, y: number): void {
    const { fields, rowHeight, contents } = picture
    const field = fields[c]!
    const base = y + (rowHeight - 1) / 2 + 4
    let room = field.width - 2 * PAD - 1
    if (c === 0) {
      room -= this.beside(contents, row, x + field.width, base, rowHeight, y)
      this.text({ text: content.parts[0]!.text, tone: toneOf(content) }, FONTS.tag, x + PAD, base, room)
      return
    }
    if (toTheRight(field)) {
      const part = content.parts[0]!
      const tone = toneOf(content) || part.tone
      this.fitting.use(fontOf(field, tone))
      const text = this.fitting.cut(part.text, room)
      const width = this.fitting.width(text)
      this.text({ text, tone }, this.fitting.font, x + PAD + room - width, base, room)
      if (tone === 'apart') this.dash(picture.colours.apart!, x + PAD + room - width, base + 3, width)
      if (wrong(content)) this.wave(picture.colours.bad!, x + PAD + room - width, base + 3, width)
      return
    }
    let left = x + PAD
    const { parts } = content
    for (const [k, part] of parts.entries()) {
      if (room <= 0) break
      const text = this.text(
        { text: part.text, tone: toneOf(content) || part.tone },
        FONTS.words,
        left,
        base,
        room,
        // Addresses begin alike: what tells one from the other is their end.
        field.kind === 'address' ? 'end' : 'begin',
      )
      // How long it is, is asked only where something depends on it.
      if (k === parts.length - 1 && !wrong(content)) break
      const drawn = this.fitting.width(text)
      if (wrong(content)) this.wave(picture.colours.bad!, left, base + 3, drawn)
      left += drawn + GROUP_GAP
      room -= drawn + GROUP_GAP
    }
  }

  /** The mark of the worst finding, and that a point is locked, at the right of its tag; the room they take. */
  private beside(
    contents: Contents,
    row: number,
    right: number,
    base: number,
    rowHeight: number,
    y: number,
  ): number {
    let x = right - PAD
    const flag = contents.flag(row)
    if (flag) {
      this.fitting.use(FONTS.small)
      x -= this.fitting.width(flag.text)
      this.ink(flag.tone)
      this.on.fillText(flag.text, x, base - 1)
      x -= 4
    }
    if (contents.lock(row)) {
      this.fitting.use(FONTS.small)
      const width = this.fitting.width('locked') + 6
      x -= width
      this.ink('')
      this.on.fillText('locked', x + 3, base - 1)
      this.dashed(this.colours.ink!, x + 0.5, y + 5.5, width - 1, rowHeight - 12)
      x -= 4
    }
    return right - PAD - x
  }

  /** Draws a text, and says what of it had room. */
  private text(
    part: Part,
    font: string,
    x: number,
    base: number,
    room: number,
    keeps: 'begin' | 'end' = 'begin',
  ): string {
    if (!part.text) return ''
    this.fitting.use(font)
    const text = this.fitting.cut(part.text, room, keeps)
    this.ink(part.tone)
    this.on.fillText(text, x, base)
    return text
  }

  private others({ colours }: Shown, content: Content, x: number, y: number, width: number): void {
    this.fitting.use(FONTS.small)
    const who = this.fitting.cut(content.others.join(', '), width - 9)
    const wide = this.fitting.width(who) + 8
    this.fill('ink', x + width - 1 - wide, y, wide, 12)
    this.on.fillStyle = colours.surface!
    this.on.fillText(who, x + width + 3 - wide, y + 9.5)
  }

  /** Lines between rows and columns, and the copper one where a station begins. */
  private lines(picture: Shown, bottom: number, right: number): void {
    const { sight, lefts, first, last, rowHeight, fields } = picture
    const frozen = lefts[1]!
    this.on.beginPath()
    for (let index = first; index <= last; index++) {
      const y = (index + 1) * rowHeight - sight.top - 0.5
      this.on.moveTo(0, y)
      this.on.lineTo(right, y)
    }
    const shown = columnsIn(sight, lefts)
    for (const x of [frozen, ...shown.map((c) => lefts[c + 1]! - sight.left).filter((x) => x > frozen)]) {
      this.on.moveTo(x - 0.5, 0)
      this.on.lineTo(x - 0.5, bottom)
    }
    this.on.strokeStyle = this.colours.line!
    this.on.lineWidth = 1
    this.on.stroke()
    this.on.globalAlpha = STATION
    for (const c of shown) {
      const x = lefts[c]! - sight.left
      if (fields[c]!.station !== fields[c - 1]!.station && x >= frozen) this.fill('copper', x, 0, 3, bottom)
    }
    this.on.globalAlpha = 1
  }

  private group(picture: Shown, index: number): void {
    const { sight, rows, rowHeight, groups, selection } = picture
    const group = groups[-1 - rows[index]!]!
    const y = index * rowHeight - sight.top
    this.fill('band', 0, y, sight.width, rowHeight - 1)
    const base = y + (rowHeight - 1) / 2 + 4
    const text = `${group.closed ? '▸' : '▾'} ${group.text || 'none'}`
    const drawn = this.fitting.width(this.text({ text, tone: '' }, FONTS.bold, 8, base, sight.width - 110))
    this.text(
      { text: `${group.count} points`, tone: 'quiet' },
      FONTS.words,
      8 + drawn + GROUP_GAP + 8,
      base,
      90,
    )
    if (index === selection.active.row) this.frame(0, y, sight.width, rowHeight)
  }

  /** The corner that is pressed twice to fill down. */
  private corner({ block, lefts, sight, rowHeight }: Shown): void {
    const at = cornerOf(block, sight, { rowHeight }, lefts)
    if (!at) return
    this.fill('surface', at.x - CORNER - 1, at.y - CORNER - 1, CORNER + 1, CORNER + 1)
    this.fill('copper', at.x - CORNER, at.y - CORNER, CORNER - 1, CORNER - 1)
  }

  /** The cell where the hand is, over all that is near it. */
  private hand(picture: Shown): void {
    const { selection, lefts, sight, rowHeight, first, last, rows } = picture
    const { row, col } = selection.active
    if (row < first || row > last || picture.editing || isGroup(rows[row] ?? -1)) return
    const draw = (x: number) =>
      this.frame(x, row * rowHeight - sight.top, lefts[col + 1]! - lefts[col]!, rowHeight)
    if (col === 0) return draw(0)
    const frozen = lefts[1]!
    this.within(frozen - 1, 0, sight.width - frozen + 1, sight.height, () => draw(lefts[col]! - sight.left))
  }

  private frame(x: number, y: number, width: number, height: number): void {
    this.on.strokeStyle = this.colours.copper!
    this.on.lineWidth = 2
    this.on.strokeRect(x + 1, y + 1, width - 3, height - 3)
  }

  private dashed(colour: string, x: number, y: number, width: number, height: number): void {
    this.on.strokeStyle = colour
    this.on.lineWidth = 1
    this.on.setLineDash([3, 2])
    this.on.strokeRect(x, y, width, height)
    this.on.setLineDash([])
  }

  private dash(colour: string, x: number, y: number, width: number): void {
    this.on.strokeStyle = colour
    this.on.lineWidth = 1
    this.on.setLineDash([3, 2])
    this.on.beginPath()
    this.on.moveTo(x, y + 0.5)
    this.on.lineTo(x + width, y + 0.5)
    this.on.stroke()
    this.on.setLineDash([])
  }

  /** What could not be taken stands over a wavy line. */
  private wave(colour: string, x: number, y: number, width: number): void {
    this.on.strokeStyle = colour
    this.on.lineWidth = 1
    this.on.beginPath()
    for (let at = 0; at <= width; at += 2) this.on.lineTo(x + at, y + (at % 4 ? 1.5 : 0))
    this.on.stroke()
  }

  private ink(tone: Tone): void {
    this.on.fillStyle = this.colours[TONES[tone]] ?? this.colours.ink!
  }

  private fill(colour: string, x: number, y: number, width: number, height: number): void {
    this.on.fillStyle = this.colours[colour]!
    this.on.fillRect(x, y, width, height)
  }

  private within(x: number, y: number, width: number, height: number, draw: () => void): void {
    this.on.save()
    this.on.beginPath()
    this.on.rect(x, y, width, height)
    this.on.clip()
    draw()
    this.on.restore()
  }
}

interface Shown extends Picture {
  lefts: number[]
  first: number
  last: number
}

const wrong = (content: Content) => content.state === 'refused' || content.state === 'conflict'

function toneOf(content: Content): Tone {
  if (wrong(content)) return 'bad'
  if (content.state === 'held') return 'apart'
  return content.state === 'saving' ? 'quiet' : ''
}
