import { afterEach, expect, test } from 'vitest'
import { answering, button, cleared, field, mounted, plantOf, sent, settled, typed } from '../testing/mounted'
import PunchesPage from './PunchesPage.vue'

afterEach(cleared)

const item = (id: number, more: object = {}) => ({
  id, at: '2027-03-01T08:00:00Z', point: 11, place: '', what: 'gland is loose', severity: 'A', owner: 'Pau', who: 'ana',
  photo: false, state: 'open', cleared_at: null, cleared_by: '', cleared_how: '', closed_at: null, closed_by: '', closed_how: '', ...more,
}) // prettier-ignore

async function page(items: object[], answers: Record<string, unknown> = {}) {
  plantOf()
  const asked = answering({ 'GET /api/punches': { items }, ...answers })
  const box = await mounted(PunchesPage)
  await settled()
  return { box, asked }
}
const flat = (box: HTMLElement) => box.textContent!.replace(/\s+/g, ' ')

test('something is raised at a tag in any case, or at a place', async () => {
  const { box, asked } = await page([])
  expect(flat(box)).toContain('nothing is to be mended')
  for (const [where, point, place] of [
    ['pt-3107', 11, ''],
    ['platform 2', 0, 'platform 2'],
  ] as const) {
    await typed(field(box, 'tag, or where'), where)
    await typed(field(box, 'what is to be mended'), 'no label')
    await sent(box)
    await settled()
    expect(asked.findLast((a) => a.way === 'POST')!.body).toMatchObject({
      point,
      place,
      what: 'no label',
      severity: 'B',
    })
  }
})

test('whoever mended it says how; another person closes it or says that it is not so', async () => {
  const cleared_ = item(2, {
    state: 'cleared',
    severity: 'B',
    cleared_at: '2027-03-01T09:00:00Z',
    cleared_by: 'pau',
    cleared_how: 'new gland',
  })
  const { box, asked } = await page([item(1), cleared_], {
    'POST /api/punches/{number}/close': 'you mended item 2 yourself: another person closes it',
  })
  expect(flat(box)).toContain('1 A1 B0 C')
  button(box, 'mended…')!.click()
  await settled()
  await typed(field(box, 'how it was mended'), 'tightened')
  await sent(box, 1)
  await settled()
  expect(asked.find((a) => a.path.endsWith('/clear'))!.body).toEqual({ how: 'tightened' })
  button(box, 'look at it…')!.click()
  await settled()
  await sent(box, 1)
  await settled()
  expect(flat(box)).toContain('■ you mended item 2 yourself')
  button(box, 'not so')!.click()
  await settled()
  expect(asked.some((a) => a.path.endsWith('/open'))).toBe(true)
})

test('items are found by their words and by how bad they are', async () => {
  const { box } = await page([
    item(1),
    item(2, { severity: 'C', what: 'lamp is dark', point: 0, place: 'hall' }),
  ])
  await typed(field(box, 'find an item'), 'hall lamp')
  expect(box.querySelectorAll('tbody tr')).toHaveLength(1)
  await typed(field(box, 'find an item'), '')
  button(box, '1 A')!.click()
  await settled()
  expect(flat(box.querySelector('tbody')!)).toContain('gland is loose')
  expect(flat(box.querySelector('tbody')!)).not.toContain('lamp is dark')
})
