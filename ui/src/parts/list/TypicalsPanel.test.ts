import { afterEach, expect, test } from 'vitest'
import {
  answering,
  button,
  cleared,
  field,
  mounted,
  plantOf,
  sent,
  settled,
  typed,
} from '../../testing/mounted'
import TypicalsPanel from './TypicalsPanel.vue'

afterEach(cleared)

const FIELDS = ['tag', 'signal', 'value_high', 'service'].map((name) => ({ name, station: 'DEVICE', label: name, kind: 'text', listed: true, choices: [], unit: '' })) // prettier-ignore
const TYPICAL = { name: 'pressure', points: 2, says: 'burner pressure', cells: { signal: '4–20 mA' } }
const cell = (point: number) => ({ point, field: 'signal', was: '4–20 mA', becomes: '0–10 V' })

async function panel(answers: Record<string, unknown> = {}) {
  const plant = plantOf()
  plant.plant = { ...plant.plant!, fields: FIELDS } as never
  plant.list.show([[11, 'signal', '4–20 mA'], [11, 'service', 'gas']]) // prettier-ignore
  const asked = answering({
    'GET /api/typicals': { typicals: [TYPICAL] },
    'POST /api/typicals/{name}/preview': { cells: [cell(11), cell(12)] },
    'PUT /api/typicals/{name}': { seq: 6, left: [] },
    'DELETE /api/typicals/{name}': { seq: 6, left: [] },
    ...answers,
  })
  const box = await mounted(TypicalsPanel, { chosen: 11 })
  await settled()
  return { plant, asked, box }
}
const flat = (box: HTMLElement) => box.textContent!.replace(/\s+/g, ' ')

test('which points follow a typical that changes is shown, and one may be left out', async () => {
  const { box, asked, plant } = await panel()
  button(box, 'pressure')!.click()
  await settled()
  await typed(field(box, 'device signal'), '0–10 V')
  await sent(box)
  await settled()
  expect(flat(box)).toContain('2 points still say what it said')
  expect(flat(box)).toContain('PT-3107device signal 4–20 mA 0–10 V')
  box.querySelectorAll<HTMLInputElement>('.follow input')[1]!.click()
  await settled()
  await sent(box)
  await settled()
  expect(asked.find((a) => a.way === 'PUT')!.body).toMatchObject({
    becomes: 'pressure',
    cells: { signal: '0–10 V' },
    points: [11],
  })
  expect(plant.notice?.text).toContain('1 points follow')
})

test('a new one holds what the chosen point holds, but nothing that is its own', async () => {
  const { box, asked } = await panel()
  button(box, 'new, like PT-3107')!.click()
  await settled()
  await sent(box)
  expect(box.querySelector('p[role=alert]')!.textContent).toContain('a typical needs a name')
  await typed(field(box, 'name of the typical'), 'gas pressure')
  await sent(box)
  await settled()
  const kept = asked.find((a) => a.way === 'PUT')!.body
  expect(kept).toMatchObject({
    becomes: 'gas pressure',
    cells: { signal: '4–20 mA', value_high: '500' },
    points: [],
  })
  expect(Object.keys(kept.cells as object)).not.toContain('tag')
  expect(Object.keys(kept.cells as object)).not.toContain('service')
})

test('one that is taken away leaves its points as they are', async () => {
  const { box, asked, plant } = await panel()
  button(box, 'take away')!.click()
  await settled()
  expect(asked.some((a) => a.way === 'DELETE')).toBe(true)
  expect(plant.notice?.text).toContain('its points stay as they are')
})

test('somebody else’s change is seen, and a name that is taken is refused in words', async () => {
  const { box, plant, asked } = await panel({ 'PUT /api/typicals/{name}': 'there is one called so' })
  const before = asked.length
  plant.typicalsSeen++
  await settled()
  expect(asked.length).toBe(before + 1)
  button(box, 'new, like PT-3107')!.click()
  await settled()
  await typed(field(box, 'name of the typical'), 'pressure')
  await sent(box)
  await settled()
  expect(box.querySelector('p[role=alert]')!.textContent).toContain('there is one called so')
})
