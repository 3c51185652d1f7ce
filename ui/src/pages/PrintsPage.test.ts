import { afterEach, expect, test } from 'vitest'
import { answering, button, cleared, mounted, plantOf, settled, typed } from '../testing/mounted'
import PrintsPage from './PrintsPage.vue'

afterEach(cleared)

const JOB = {
  id: 7, at: '2026-12-01T10:00:00Z', who: 'ana', document: 'loops', paper: 'A3', part: 'area', name: 'kilns', state: 'done',
  done: 1, says: '', there: true,
} // prettier-ignore

async function opened(prints: object[]) {
  plantOf()
  const asked = answering({
    'GET /api/prints': { prints, areas: ['kilns', 'press'], cabinets: ['KC-2'], systems: [] },
    'POST /api/prints': JOB,
  })
  const box = await mounted(PrintsPage, {}, { at: '/prints' })
  await settled()
  return {
    box,
    sent: () => asked.filter((a) => a.way === 'POST').map((a) => a.body as Record<string, unknown>),
  }
}
const flat = (box: HTMLElement) => box.textContent!.replace(/\s+/g, ' ')
const submit = async (box: HTMLElement) => {
  box.querySelector('form')!.dispatchEvent(new Event('submit', { cancelable: true }))
  await settled()
}
const document_ = (box: HTMLElement, title: string) =>
  [...box.querySelectorAll<HTMLElement>('.document')].find((d) => d.textContent!.includes(title))!

test('a document is chosen and printed of the whole plant', async () => {
  const { box, sent } = await opened([])
  expect(flat(box)).toContain('Nothing was printed yet')
  document_(box, 'terminal plan').click()
  await settled()
  expect(document_(box, 'terminal plan').getAttribute('aria-checked')).toBe('true')
  await submit(box)
  expect(sent()[0]).toMatchObject({ document: 'terminals', paper: 'A4', part: '', name: '' })
})

test('one is fetched, one tells how far it is, one why it failed, one that its file is gone', async () => {
  const { box } = await opened([
    JOB,
    { ...JOB, id: 8, state: 'works', done: 0.4, says: 'drawing', there: false },
    { ...JOB, id: 9, state: 'failed', says: 'it was broken off: ask for it again', there: false },
    { ...JOB, id: 10, there: false },
  ])
  expect(box.querySelector<HTMLAnchorElement>('a.act')!.getAttribute('href')).toBe('/api/prints/7/file')
  expect(flat(box)).toContain('loop sheets of kilns, A3')
  expect(flat(box)).toContain('drawing, 40 %')
  expect(flat(box)).toContain('it was broken off')
  expect(flat(box)).toContain('its file is gone')
})

test('labels have a stock instead of a paper, and a word is no size', async () => {
  const { box, sent } = await opened([])
  document_(box, 'labels for devices').click()
  await settled()
  expect(box.querySelector('[aria-label="paper"]')).toBeNull()
  const wide = box.querySelector<HTMLInputElement>('[aria-label="wide, mm"]')!
  await typed(wide, 'broad')
  await submit(box)
  expect(flat(box)).toContain('“broad” is no figure: wide, mm')
  expect(sent()).toEqual([])
  await typed(wide, '63,5')
  await submit(box)
  expect(sent()[0]).toMatchObject({
    document: 'labels devices',
    stock: { wide: 63.5, across: 3, sheet: 'A4' },
  })
  expect(button(box, 'print')).toBeTruthy()
})
