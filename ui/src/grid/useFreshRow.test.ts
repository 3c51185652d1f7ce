import { afterEach, beforeEach, expect, test } from 'vitest'
import { answering, cleared, plantOf } from '../testing/mounted'
import { useFreshRow } from './useFreshRow'

beforeEach(() => localStorage.clear())
afterEach(cleared)

const MADE = {
  seq: 6, applied: true, cells: [], moved: [], opened: [], closed: [], left: [],
  change: { seq: 6, cells: [], opened: [], closed: [], added: [{ id: 13, rack: 0, cells: { tag: 'TE-1' } }] },
} // prettier-ignore

test('nothing is made until there is a tag; then all that was typed goes into the point', async () => {
  const plant = plantOf()
  const asked = answering({ 'POST /api/points': MADE })
  const { draft, put } = useFreshRow()
  expect(await put('service', ' crown ')).toBeUndefined()
  expect([draft.value, asked.length]).toEqual([{ service: 'crown' }, 0])
  expect(await put('tag', 'TE-1')).toBe(13)
  expect(asked[0]!.body).toMatchObject({ rows: [{ service: 'crown', tag: 'TE-1' }], count: 0 })
  expect(draft.value).toEqual({})
  expect([plant.list.text('tag', 2), plant.notice]).toMatchObject(['TE-1', { text: 'TE-1 made', undo: true }])
})

test('what could not be made stands there as it was typed, and why is said', async () => {
  const plant = plantOf()
  answering({ 'POST /api/points': 'the tag is too long' })
  const { draft, put } = useFreshRow()
  await put('service', 'crown')
  expect(await put('tag', 'TE-1')).toBeUndefined()
  expect(draft.value).toEqual({ service: 'crown', tag: 'TE-1' })
  expect(plant.notice!.text).toContain('TE-1 was not made: the tag is too long')
})

test('what is typed for the next point while one is being made is not lost when that fails', async () => {
  plantOf()
  let refuse: (why: string) => void = () => undefined
  answering({ 'POST /api/points': new Promise((done) => (refuse = done)) })
  const { draft, put } = useFreshRow()
  const making = put('tag', 'TE-1')
  await put('service', 'of the next one')
  refuse('somebody locked the list')
  await making
  expect(draft.value).toEqual({ tag: 'TE-1', service: 'of the next one' })
})

test('an emptied cell is none; what is begun outlives a reload', async () => {
  plantOf()
  answering({})
  const { draft, put } = useFreshRow()
  await put('service', 'crown')
  await put('area', 'kiln 2')
  await put('area', '')
  expect(draft.value).toEqual({ service: 'crown' })
  await Promise.resolve()
  expect(useFreshRow().draft.value).toEqual({ service: 'crown' })
})
