/** What may become of a row of a file, in the order in which it wants a look; and why a column is taken as it is. */
import type { Schemas } from '../../api/client'

export type Kind = 'added' | 'changed' | 'renamed' | 'wrong' | 'out' | 'same' | 'unmatched'
/** Rows that are asked for at once. */
export const LINES = 100
export const KINDS: [Kind, string][] = [
  ['changed', 'change'],
  ['added', 'new'],
  ['renamed', 'look renamed'],
  ['wrong', 'cells not taken'],
  ['out', 'rows left out'],
  ['same', 'the same'],
  ['unmatched', 'in the plant, not in the file'],
]

export const countOfKind = (counts: Schemas['CountsOut'] | undefined, kind: Kind): number =>
  counts?.[kind] ?? 0

/** Why a column is taken for what it is, or left out; by its code. */
export const WHY: Record<string, string> = {
  named: 'its head says so, and its cells agree',
  contents: 'its cells can be nothing else',
  neighbours: 'the columns beside it say so',
  answered: 'somebody said so',
  asked: 'not certain: asked',
  second: 'another column says this already',
  nothing: 'no field here holds this',
  unknown: 'its head means nothing here',
  empty: 'its cells hold nothing',
}

/** Why a row of the file is no point, in a word; by its code. */
export const ROW: Record<string, string> = {
  heads: 'heads again',
  total: 'total',
  footer: 'footer',
  spare: 'spare',
  group: 'group',
  'no tag': 'no tag',
}
