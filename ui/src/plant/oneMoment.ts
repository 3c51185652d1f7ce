/**
 * One moment of reading for all that stands on a page. A point's figure comes with the block of its rack, its stations and
 * causes in an event of their own: both of the same reading, a moment apart on the way.
 *
 *     const { now, path, advice } = useOneMoment(newest, told)
 */
import { computed, shallowRef, watch, type Ref } from 'vue'
import type { Schemas } from '../api/client'
import type { Now } from './now'

export interface Told {
  path: Schemas['PathOut'] | null
  advice: Schemas['AdvicesOut'] | null
}

/** How long one may wait for the other, ms: then it stands alone, for something was lost on the way. */
const LONGEST_MS = 3000
const SAME_MS = 1

/** Whether a figure and what was told belong together, or one of them has nothing to wait for. */
export function together(now: Now, told: Told): boolean {
  const of = told.path?.read_at
  if (!now.reading || of == null || now.stale) return true
  const apart = Math.abs(now.reading.readAt - of * 1000)
  return apart < SAME_MS || apart > LONGEST_MS
}

/** The newest figure and what was told, changed together. */
export function useOneMoment(newest: Ref<Now>, told: Ref<Told>) {
  const shown = shallowRef({ now: newest.value, ...told.value })
  watch([newest, told], ([now, said]) => {
    if (together(now, said)) shown.value = { now, ...said }
  })
  return {
    now: computed(() => shown.value.now),
    path: computed(() => shown.value.path),
    advice: computed(() => shown.value.advice),
  }
}
