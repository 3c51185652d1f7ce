/**
 * What stands in each cell, for everything that shows it: the drawing, the elements of the rows at rest, a reader.
 *
 *     const contents = useContents(); contents.cell(row, field)
 */
import { toRaw } from 'vue'
import type { Schemas } from '../api/client'
import { accepted, mark } from '../plant/findings'
import { nowOf } from '../plant/now'
import { usePlant, waitKey, type Waiting } from '../plant/store'
import { age, asTyped } from '../plant/words'
import { FRESH } from './rows'

type Field = Schemas['FieldOut']

/** '' for what is as it should be; the others carry a shape or a word besides their colour. */
export type Tone = '' | 'quiet' | 'stale' | 'settle' | 'bad' | 'apart'

export interface Part {
  text: string
  tone: Tone
}

export interface Content {
  parts: Part[]
  /** What waits in this cell: saving, held, refused, conflict. */
  state: string
  /** Severity of the worst finding that names this cell. */
  marked: string
  /** Who else has chosen this cell. */
  others: string[]
  /** Said on hover. */
  tip: string
}

const TONES: Record<string, Tone> = {
  doubtful: 'settle',
  bad: 'bad',
  injected: 'apart',
  none: 'quiet',
  stale: 'stale',
}

export const figures = (field: Field) => field.kind === 'number' || field.kind === 'whole'
export const toTheRight = (field: Field) => figures(field) || field.kind === 'live'

/** Texts as they are shown, by the text as it is kept: thousands of cells hold the same few. */
const shownAs = new Map<string, string>()
const MOST_KEPT = 20_000
function typedAs(text: string): string {
  let shown = shownAs.get(text)
  if (shown === undefined) {
    if (shownAs.size > MOST_KEPT) shownAs.clear()
    shownAs.set(text, (shown = asTyped(text)))
  }
  return shown
}

const NOBODY: string[] = []

/** draft: what is typed into the empty last row so far. */
export function useContents(draft: () => Readonly<Record<string, string>> = () => ({})) {
  const plant = usePlant()
  const { list } = plant
  // What the store holds, taken once a picture: asked for at each of a thousand cells, the asking is what costs.
  let waiting: ReadonlyMap<string, Waiting> = new Map()
  let { findingsOf, acceptedOf, othersAt, locks } = plant
  const marks = new Map<number, Map<string, string>>()

  /** To be called before cells are asked for: what has changed since is seen. */
  function begin(): void {
    waiting = toRaw(plant.waiting)
    if (findingsOf !== plant.findingsOf) {
      findingsOf = plant.findingsOf
      marks.clear()
    }
    ;({ acceptedOf, othersAt, locks } = plant)
  }

  /** Severity by field of what is open at a point. */
  function marksOf(point: number): Map<string, string> | undefined {
    const findings = findingsOf.get(point)
    if (!findings) return undefined
    let known = marks.get(point)
    if (!known) {
      marks.set(point, (known = new Map()))
      // The worst comes first.
      for (const finding of findings)
        for (const cell of finding.cells)
          if (cell.point === point && !known.has(cell.field)) known.set(cell.field, finding.severity)
    }
    return known
  }

  function parts(row: number, point: number, field: Field, wait: Waiting | undefined): Part[] {
    if (field.kind === 'live') {
      const now = nowOf(plant, point)
      const text = `${now.mark ? `${now.mark} ` : ''}${`${now.text} ${now.unit}`.trim()}`
      return [{ text: now.stale ? `${text} · ${age(now.seconds)}` : text, tone: TONES[now.kind] ?? '' }]
    }
    if (field.kind === 'checks')
      return [...(findingsOf.get(point) ?? []), ...(acceptedOf.get(point) ?? [])].map((finding) => {
        const is = accepted(finding)
        const why = is ? ` (accepted: ${finding.waived!.reason})` : ''
        const tone = is ? 'quiet' : finding.severity === 'note' ? '' : (finding.severity as Tone)
        return { text: `${mark(finding)} ${finding.text}${why}`, tone }
      })
    const text = wait?.text ?? list.text(field.name, row)
    return [{ text: figures(field) ? typedAs(text) : text, tone: '' }]
  }

  /** What stands in a cell of the empty last row. */
  function freshCell(field: Field): Content {
    const typed = draft()
    const text = typed[field.name] ?? ''
    const begun = Object.keys(typed).length > 0
    const part: Part =
      field.name === 'tag' && !text ? { text: begun ? 'tag?' : 'new', tone: begun ? 'settle' : 'quiet' } : { text, tone: '' } // prettier-ignore
    const tip = field.name === 'tag' ? 'a tag typed here makes a point; rows can be pasted' : ''
    return { parts: [part], state: '', marked: '', others: NOBODY, tip }
  }

  /** What stands in a cell of a point. */
  function cell(row: number, field: Field): Content {
    if (row === FRESH) return freshCell(field)
    const point = list.ids[row]!
    const wait = waiting.size ? waiting.get(waitKey(point, field.name)) : undefined
    const here = othersAt.size ? othersAt.get(point) : undefined
    const others = here ? here.filter((p) => p.field === field.name).map((p) => p.who) : NOBODY
    return {
      parts: parts(row, point, field, wait),
      state: wait?.state ?? '',
      marked: marksOf(point)?.get(field.name) ?? '',
      others,
      tip: wait?.says ?? others.map((who) => `${who} is here`).join('\n'),
    }
  }

  /** The mark before a tag: of the worst that is open at the point. */
  function flag(row: number): Part | undefined {
    const worst = findingsOf.get(list.ids[row]!)?.[0]
    return worst && { text: mark({ severity: worst.severity }), tone: worst.severity as Tone }
  }

  /** Who locked a point and why, in words; '' for nobody. */
  function lock(row: number): string {
    const lock = locks.get(list.ids[row]!)
    return lock ? `locked by ${lock.who}: ${lock.why}` : ''
  }

  return { begin, cell, flag, lock }
}

export type Contents = ReturnType<typeof useContents>
