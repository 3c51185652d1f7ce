/** What was typed away is kept in the browser at once: a page that is closed, or a battery that is empty, loses nothing. */
import { createStore, get, set, type UseStore } from 'idb-keyval'
import type { Kept } from './model'

let store: UseStore | undefined
const at = () => (store ??= createStore('canaleta-away', 'work'))

export async function keptOf(code: string): Promise<Kept | undefined> {
  return get<Kept>(code, at())
}

export async function keep(code: string, kept: Kept): Promise<void> {
  await set(code, kept, at())
}
