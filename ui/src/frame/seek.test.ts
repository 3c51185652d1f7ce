import { afterEach, expect, test } from 'vitest'
import { cleared, plantOf } from '../testing/mounted'
import { useSearch } from '../plant/useSearch'
import { PAGES, pageOf, placeOf } from './places'
import { leads, seek } from './seek'

afterEach(cleared)

function found(text: string, commands: { says: string; run: () => void }[] = []) {
  const plant = plantOf()
  plant.list.show([
    [11, 'service', 'valve pressure'],
    [12, 'service', 'shut-off valve'],
    [11, 'channel', 'KC-2·1·2·1'],
    [12, 'channel', 'KC-2·1·4·3'],
    [11, 'cable', 'W-3107'],
  ])
  plant.findings = new Map([
    ['k', { key: 'k', rule: 'R07', text: 'ranges disagree: 0 … 600', cells: [] }],
  ]) as never
  const { findRows } = useSearch()
  return seek(text, plant, (query) => findRows(query), commands)
}

test('words lead to what begins with them, in any order', () => {
  expect(leads('mod ty', 'module types')).toBe(true)
  expect(leads('types mod', 'module types')).toBe(true)
  expect(leads('odule', 'module types')).toBe(false)
})

test('one field reaches points, findings, modules, cables and pages', () => {
  const kinds = (text: string) => found(text).map((hit) => `${hit.kind} ${hit.says}`)
  expect(kinds('zv-2')).toEqual(['point ZV-2'])
  expect(kinds('ranges')).toEqual(['finding ranges disagree'])
  expect(kinds('kc-2·1·4')).toContain('module KC-2·1·4')
  expect(kinds('w-3107')).toContain('cable W-3107')
  expect(kinds('shelve')).toEqual(['page alarms'])
})

test('whose tag it is comes before whose service names it', () => {
  const points = found('valve').filter((hit) => hit.kind === 'point')
  expect(points.map((hit) => hit.says)).toEqual(['PT-3107', 'ZV-2'])
  expect(found('zv')[0]).toMatchObject({ says: 'ZV-2', to: '/point/12' })
})

test('without words everything that can be done stands first, then all pages', () => {
  const hits = found('', [{ says: 'new points', run: () => undefined }])
  expect(hits[0]).toMatchObject({ kind: 'do', says: 'new points' })
  expect(hits.length).toBe(1 + PAGES.length)
})

test('a page of one point belongs to its place', () => {
  expect(placeOf('wiring')?.says).toBe('I/O list')
  expect(pageOf('check')?.name).toBe('checkout')
  expect(pageOf('guide')?.says).toBe('guide')
  expect(placeOf('nowhere')).toBeUndefined()
})
