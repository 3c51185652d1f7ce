import { afterEach, expect, test, vi } from 'vitest'
import {
  answering,
  arrived,
  button,
  cleared,
  field,
  mounted,
  plantOf,
  settled,
  typed,
} from '../testing/mounted'
import { blankType } from '../parts/cabinet/typeBody'
import TypesPage from './TypesPage.vue'

afterEach(cleared)

const body = (key: string, title: string) => ({ ...blankType(), key, title })
const type = (key: string, title: string, used = 0) => ({
  key,
  title,
  used,
  in_plant: used > 0,
  summary: 'in a line',
  body: body(key, title),
})
const TYPES = [type('ai-4', 'AI 4', 3), type('di-8', 'DI 8')]
const WOULD = {
  renumbered: [],
  renumbered_count: 0,
  freed: [],
  moved: [],
  moved_count: 0,
  opened: [],
  closed: 0,
}

async function page(at = '/types', answers: Record<string, unknown> = {}, rights?: string[]) {
  vi.useFakeTimers()
  const plant = plantOf(rights)
  const asked = answering({
    'GET /api/module-types': { types: TYPES },
    'POST /api/module-types/preview': { says: '' },
    'POST /api/hardware': WOULD,
    ...answers,
  })
  const routes = [{ path: '/types/:key?', component: TypesPage }]
  const box = await mounted({ template: '<router-view />' }, {}, { at, routes })
  await settled()
  await looked()
  return { plant, asked, box }
}
const looked = async () => (await vi.advanceTimersByTimeAsync(200), await settled())
const flat = (box: HTMLElement) => box.textContent!.replace(/\s+/g, ' ')

test('a type that stands in racks is changed only after a look at what it moves', async () => {
  const { box, asked } = await page('/types/ai-4')
  expect(flat(box)).toContain('in 3 places')
  expect(button(box, 'change the type')!.disabled, 'nothing is changed yet').toBe(true)
  await typed(field(box, 'title'), 'AI 4 fast')
  await looked()
  button(box, 'change the type')!.click()
  await settled()
  const last = asked.filter((a) => a.path === '/api/hardware').at(-1)!
  expect(last.body).toMatchObject({ apply: false })
  expect((last.body.operations as { do: string; replace: boolean; body: { title: string } }[])[0]).toMatchObject({ do: 'put type', replace: true, body: { key: 'ai-4', title: 'AI 4 fast' } }) // prettier-ignore
  expect(flat(box)).toContain('AI 4 fast in another form, which stands in 3 places')
})

test('a way of working that is called otherwise takes its points along', async () => {
  const { box, asked } = await page('/types/ai-4')
  const was = blankType().modes[0]!.name
  await typed(field(box, 'name'), 'current, fast')
  await looked()
  button(box, 'change the type')!.click()
  await settled()
  const last = asked.filter((a) => a.path === '/api/hardware').at(-1)!
  expect((last.body.operations as { renamed: object }[])[0]!.renamed).toEqual({ [was]: 'current, fast' })
})

test('one that cannot be is told while it is typed, and cannot be kept', async () => {
  const { box } = await page('/types', {
    'POST /api/module-types/preview': { says: 'the span has no width' },
  })
  await looked()
  expect(flat(box)).toContain('the span has no width')
  expect(button(box, 'keep this type')!.disabled).toBe(true)
})

test('as JSON it is the same type, and what is no JSON is kept and told', async () => {
  const { box } = await page('/types/di-8')
  button(box, 'as JSON')!.click()
  await settled()
  const text = field(box, 'the type as JSON')
  expect(JSON.parse(text.value)).toMatchObject({ key: 'di-8', title: 'DI 8' })
  await typed(text, '{"key": ')
  expect(box.querySelector('p[role=alert]')!.textContent).toContain('this is not JSON')
  expect(text.value).toBe('{"key": ')
  await typed(text, JSON.stringify(body('di-8', 'DI 8 slow')))
  button(box, 'as a form')!.click()
  await settled()
  expect(box.querySelector('p[role=alert]')).toBeNull()
  expect(field(box, 'title').value).toBe('DI 8 slow')
})

test('a copy is a type of its own with another key', async () => {
  const { box } = await page('/types/ai-4')
  button(box, 'copy it')!.click()
  await settled()
  expect(field(box, 'title').value).toBe('AI 4 copy')
  expect(field(box, 'key in files').value).toBe('')
  expect(field(box, 'key in files').disabled).toBe(false)
})

test('a type that is kept is what one sees next', async () => {
  let types = TYPES
  const { box } = await page('/types', { 'GET /api/module-types': () => ({ types }) })
  await typed(field(box, 'title'), 'RTD 2')
  await looked()
  button(box, 'keep this type')!.click()
  await settled()
  types = [...TYPES, type('rtd-2', 'RTD 2')]
  button(box, 'accept')!.click()
  await settled()
  await vi.advanceTimersByTimeAsync(1000)
  await arrived('/types/rtd-2')
})
