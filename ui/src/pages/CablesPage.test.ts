import { afterEach, expect, test } from 'vitest'
import { answering, button, cleared, field, mounted, plantOf, sent, settled, typed } from '../testing/mounted'
import CablesPage from './CablesPage.vue'

afterEach(cleared)

const core = (number: number, points: number[] = []) => ({ number, colour: String(number), points })
const CABLES = [
  { cable: 1, name: 'W-101', kind: 'screened', colours: '', mm2: '0.75', length_m: '40', begins: 'KC-2', ends: 'JB-1', spare: 1, cores: [core(1, [11]), core(2, [12, 11]), core(3)] },
  { cable: 2, name: 'W-102', kind: '', colours: '', mm2: '', length_m: '', begins: 'KC-2', ends: 'JB-2', spare: 2, cores: [core(1), core(2)] },
] // prettier-ignore
const WOULD = {
  renumbered: [],
  renumbered_count: 0,
  freed: [],
  moved: [],
  moved_count: 0,
  opened: [],
  closed: 0,
}

async function page({
  at = '/cables',
  rights = undefined as string[] | undefined,
  cables = CABLES as object[],
} = {}) {
  const plant = plantOf(rights)
  const asked = answering({ 'GET /api/cables': { cables }, 'POST /api/hardware': WOULD })
  const box = await mounted(CablesPage, {}, { at })
  await settled()
  return { plant, asked, box }
}
const flat = (box: HTMLElement) => box.textContent!.replace(/\s+/g, ' ')

test('a cable that is asked for by its name is open, with the points of its cores', async () => {
  const { box } = await page({ at: '/cables?cable=W-101' })
  const cores = [...box.querySelectorAll('aside li')].map((li) => li.textContent!.replace(/\s+/g, ' ').trim())
  expect(cores[0]).toContain('PT-3107')
  expect(cores[1]).toContain('used twice')
  expect(cores[2]).toContain('spare')
  expect(box.querySelector('aside li a')!.getAttribute('href')).toBe('/point/11/wiring')
})

test('spare cores are counted, and a cable is found by the tag of a point in it', async () => {
  const { box } = await page()
  expect(flat(box)).toContain('2 cables, 3 spare cores')
  await typed(field(box, 'find'), 'zv-2')
  expect(flat(box)).toContain('1 cable, 1 spare cores')
})

test('a change is looked at before it is done', async () => {
  const { box, asked } = await page({ at: '/cables?cable=W-102' })
  await typed(field(box, 'length, m'), '55')
  await sent(box)
  await settled()
  expect(asked.at(-1)!.body).toMatchObject({
    apply: false,
    operations: [{ do: 'change cable', cable: 2, name: 'W-102', length_m: '55', cores: '2' }],
  })
  expect(flat(box)).toContain('no address changes, and no value moves')
  button(box, 'accept')!.click()
  await settled()
  expect(asked.find((a) => a.body.apply)).toBeDefined()
})

test('another cable begins with two cores', async () => {
  const { box, asked } = await page()
  button(box, 'another cable')!.click()
  await settled()
  await typed(field(box, 'name'), 'W-103')
  await sent(box)
  await settled()
  expect(asked.at(-1)!.body).toMatchObject({ operations: [{ do: 'add cable', name: 'W-103', cores: '2' }] })
})

test('a plant without cables says so, and a reader changes none', async () => {
  const empty = await page({ cables: [] })
  expect(flat(empty.box)).toContain('no cable yet')
  cleared()
  const { box } = await page({ at: '/cables?cable=W-102', rights: ['look', 'read'] })
  expect(button(box, 'another cable')).toBeUndefined()
  expect(button(box, 'change it')).toBeUndefined()
  expect(field(box, 'name').disabled).toBe(true)
})

test('the list is one stop of Tab, and the arrows choose in it', async () => {
  const { box } = await page()
  const list = box.querySelector('[role=listbox]')!
  expect(list.getAttribute('tabindex')).toBe('0')
  const press = async (key: string) => {
    list.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true, cancelable: true }))
    await settled()
    return field(box, 'name').value
  }
  expect(await press('ArrowDown')).toBe('W-101')
  expect(await press('ArrowDown')).toBe('W-102')
  expect(await press('ArrowDown'), 'the last stays').toBe('W-102')
  expect(await press('ArrowUp')).toBe('W-101')
})
