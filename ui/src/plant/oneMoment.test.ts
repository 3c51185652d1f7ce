import { nextTick, shallowRef } from 'vue'
import { expect, test } from 'vitest'
import type { Now } from './now'
import { useOneMoment, type Told } from './oneMoment'

const at = (s: number, text: string, stale = false): Now =>
  ({ reading: { readAt: s * 1000 }, text, stale }) as never
const path = (s: number): Told => ({ path: { read_at: s } as never, advice: null })

test('the figure waits for the stations of its reading', async () => {
  const newest = shallowRef(at(10, '12.4'))
  const told = shallowRef(path(10))
  const { now, path: stations } = useOneMoment(newest, told)
  newest.value = at(11, '12.9')
  await nextTick()
  expect(now.value.text).toBe('12.4')
  told.value = path(11)
  await nextTick()
  expect([now.value.text, stations.value?.read_at]).toEqual(['12.9', 11])
})

test('stations that come first wait for the figure', async () => {
  const newest = shallowRef(at(10, '12.4'))
  const told = shallowRef(path(10))
  const { path: stations } = useOneMoment(newest, told)
  told.value = path(11)
  await nextTick()
  expect(stations.value?.read_at).toBe(10)
})

test('a figure that is stale, and one whose stations were lost, stand alone', async () => {
  const newest = shallowRef(at(10, '12.4'))
  const { now } = useOneMoment(newest, shallowRef(path(10)))
  newest.value = at(11, '12.5', true)
  await nextTick()
  expect(now.value.stale).toBe(true)
  newest.value = at(14, '13.1')
  await nextTick()
  expect(now.value.text).toBe('13.1')
})
