/** What may become of a row of a file, in the order in which it wants a look. */
import type { Schemas } from '../../api/client'

export type Kind = 'added' | 'changed' | 'wrong' | 'out' | 'same' | 'unmatched'
/** Rows that are asked for at once. */
export const LINES = 100
export const KINDS: [Kind, string][] = [
  ['changed', 'change'],
  ['added', 'new'],
  ['wrong', 'with cells that cannot be read'],
  ['out', 'left out'],
  ['same', 'the same'],
  ['unmatched', 'in the plant, not in the file'],
]

export const countOfKind = (counts: Schemas['CountsOut'] | undefined, kind: Kind): number =>
  counts?.[kind] ?? 0
