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
import LadderPanel from './LadderPanel.vue'
import SwapForm from './SwapForm.vue'
import DossierPanel from '../handover/DossierPanel.vue'

afterEach(cleared)

const rung = (name: string, reached: boolean, by_hand: boolean) => ({
  rung: name, reached, at: reached ? '2027-03-01T08:00:00Z' : '', who: reached ? 'Ana' : '', how: 'loop check, record 4', record: 4, by_hand,
}) // prettier-ignore
const LADDER = {
  point: 11, status: 'wired', events: [], blockers: [{ code: 'not checked', says: 'no loop check is signed' }],
  rungs: [rung('wired', true, true), rung('continuity', false, true), rung('loop-checked', false, false)],
} // prettier-ignore
const flat = (box: HTMLElement) => box.textContent!.replace(/\s+/g, ' ')

test('rungs are marked and taken back by hand, and what follows from a record is not', async () => {
  plantOf()
  const asked = answering({
    'GET /api/points/{point}/ladder': LADDER,
    'POST /api/ladder': { points: 1, seq: 9 },
  })
  const box = await mounted(LadderPanel, { point: 11, again: 0 })
  await settled()
  expect(flat(box)).toContain('▲ no loop check is signed')
  expect([...box.querySelectorAll('li')].map((li) => li.querySelector('button')?.textContent!.trim())).toEqual([
    undefined, 'it is', 'not so',
  ]) // prettier-ignore
  button(box, 'it is')!.click()
  await settled()
  expect(asked.find((a) => a.way === 'POST')!.body).toEqual({
    points: [11],
    rung: 'continuity',
    reached: true,
    note: '',
  })
})

test('something to be mended is raised at the point', async () => {
  plantOf()
  const asked = answering({ 'GET /api/points/{point}/ladder': LADDER, 'POST /api/punches': { id: 7 } })
  const box = await mounted(LadderPanel, { point: 11, again: 0 })
  await settled()
  await typed(field(box, 'what is to be mended'), 'no label')
  await sent(box)
  await settled()
  expect(asked.find((a) => a.path === '/api/punches')!.body).toMatchObject({
    point: 11,
    what: 'no label',
    severity: 'B',
  })
})

test('another device is signed with its serial number and why, and what is to be set in it is told', async () => {
  plantOf()
  const settings = [{ name: 'device_high', label: 'high', text: '600' }]
  const asked = answering({
    'GET /api/points/{point}/swap': { serial: 'A-1', settings },
    'POST /api/points/{point}/swap': { id: 3, verdict: 'x' },
  })
  const box = await mounted(SwapForm, { point: 11 })
  const details = box.querySelector('details')!
  details.open = true
  details.dispatchEvent(new Event('toggle'))
  await settled()
  expect(flat(box)).toContain('serial now A-1')
  expect(flat(box)).toContain('high 600')
  for (const [name, text] of [
    ['serial', 'B-2'],
    ['why', 'torn'],
    ['name', 'Ana'],
    ['password', 'a long word'],
  ] as const)
    await typed(field(box, name), text)
  await sent(box)
  await settled()
  expect(asked.find((a) => a.way === 'POST')!.body).toMatchObject({
    serial: 'B-2',
    why: 'torn',
    like_for_like: true,
    name: 'Ana',
  })
})

test('a dossier is asked for, tells how far it is, and is fetched', async () => {
  plantOf()
  const job = (more: object) => ({
    id: 1,
    at: '2027-03-01T08:00:00Z',
    name: 'B',
    system: '',
    form: 'pdf',
    state: 'works',
    done: 0.4,
    says: 'PT-3107',
    there: false,
    hash: '',
    ...more,
  })
  let now = job({})
  const asked = answering({
    'GET /api/dossiers': () => ({ dossiers: [now], systems: { burners: 12 } }),
    'POST /api/dossiers': job({}),
  })
  const box = await mounted(DossierPanel)
  await settled()
  expect(flat(box)).toContain('40 %, PT-3107')
  await typed(field(box, 'your name'), 'B. Roca')
  await typed(field(box, 'your password once more'), 'a long word')
  now = job({ state: 'done', done: 1, there: true, hash: 'abc' })
  await sent(box)
  await settled()
  expect(asked.find((a) => a.way === 'POST')!.body).toEqual({
    system: '',
    form: 'pdf',
    name: 'B. Roca',
    password: 'a long word',
  })
  expect(box.querySelector('a[download]')!.getAttribute('href')).toBe('/api/dossiers/1/file')
})
