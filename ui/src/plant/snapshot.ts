/** The whole list as it comes from the server: one piece of bytes, laid out as `web/kit/columns.py` says. */
import { Coded, Texts, type Column } from './column'

export interface Snapshot {
  seq: number
  ids: number[]
  racks: number[]
  columns: Record<string, readonly string[] | Column>
}

interface Head {
  seq: number
  rows: number
  columns: (
    { name: string; texts: string[]; bits: number } | { name: string; bytes: number; width: 1 | 2 | 4 }
  )[]
}

/** Throws RangeError where the bytes end before what they tell of themselves. */
export function opened(data: ArrayBuffer): Snapshot {
  let at = 0
  const take = (size: number) => {
    if (at + size > data.byteLength) throw new RangeError('the list ends before its last column')
    return new Uint8Array(data, (at += size) - size, size)
  }
  // Numbers must begin at a fourth byte: what stands elsewhere is copied.
  const numbers = (count: number, width: 1 | 2 | 4 = 4) =>
    new { 1: Uint8Array, 2: Uint16Array, 4: Uint32Array }[width](take(width * count).slice().buffer)
  const [size] = numbers(1)
  const head = JSON.parse(new TextDecoder().decode(take(size!))) as Head
  const ids = Array.from(numbers(head.rows))
  const racks = Array.from(numbers(head.rows))
  const columns: Record<string, Column> = {}
  for (const one of head.columns) {
    if ('texts' in one) {
      const packed = take(Math.ceil((head.rows * one.bits) / 8))
      columns[one.name] = Coded.packed(one.texts, head.rows, packed, one.bits)
    } else {
      const lengths = numbers(head.rows, one.width)
      columns[one.name] = new Texts(take(one.bytes), lengths)
    }
  }
  return { seq: head.seq, ids, racks, columns }
}
