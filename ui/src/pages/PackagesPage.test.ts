import { afterEach, expect, test, vi } from 'vitest'
import { answering, button, cleared, field, mounted, plantOf, sent, settled, typed } from '../testing/mounted'
import PackagesPage from './PackagesPage.vue'

afterEach(cleared)

const PACKAGE = {
  name: 'kiln 2', people: ['ana', 'pau'], begins: '2027-03-01', ends: '', points: [11, 12], note: '', checked: 1, gone: 0,
  away: '', twice: [12],
} // prettier-ignore

async function page(packages: object[], answers: Record<string, unknown> = {}) {
  plantOf()
  const asked = answering({ 'GET /api/packages': { packages }, ...answers })
  const box = await mounted(PackagesPage)
  await settled()
  return { box, asked }
}
const flat = (box: HTMLElement) => box.textContent!.replace(/\s+/g, ' ')

test('a package is made of what is found, and one without points is not', async () => {
  const { box, asked } = await page([])
  expect(flat(box)).toContain('there is no package yet')
  expect(button(box, 'make it')!.disabled).toBe(true)
  await typed(field(box, 'which points'), 'pt')
  await typed(field(box, 'name of the package'), ' Monday ')
  await typed(field(box, 'people'), 'ana, pau,')
  expect(flat(box)).toContain('1 points: PT-3107')
  await sent(box)
  await settled()
  expect(asked.find((a) => a.way === 'PUT')!.body).toMatchObject({ people: ['ana', 'pau'], points: [11] })
})

test('a package goes along as one file with its points in it', async () => {
  const clicks = vi.spyOn(HTMLAnchorElement.prototype, 'click').mockImplementation(() => undefined)
  let file: Blob | undefined
  vi.spyOn(URL, 'createObjectURL').mockImplementation((blob) => ((file = blob as Blob), 'blob:1'))
  vi.stubGlobal('fetch', async () => new Response('<script id="package">/*package*/</script>'))
  const { box } = await page([PACKAGE], {
    'POST /api/packages/{name}/away': { format: 'canaleta away', points: [{ tag: 'PT-3107' }] },
  })
  expect(flat(box)).toContain('1 of its points are in another package as well')
  button(box, 'take along as a file')!.click()
  await vi.waitFor(() => expect(clicks).toHaveBeenCalled())
  expect(await file!.text()).toContain('"tag":"PT-3107"')
  vi.unstubAllGlobals()
})

test('what others have is told and not taken', async () => {
  const { box } = await page([PACKAGE], {
    'POST /api/packages/{name}/away': 'pau has locked this row: package kiln 2',
  })
  button(box, 'take along as a file')!.click()
  await settled()
  expect(flat(box)).toContain('■ pau has locked this row')
})

const told = (key: string, more: object = {}) => ({
  key, point: 11, tag: 'PT-3107', what: 'loop test', read_at: '2027-03-01T10:00:00Z', tester: 'Pau', state: 'fresh', code: '', says: '',
  verdict: 'passed', since: '', record: 0, ...more,
}) // prettier-ignore

async function choose(box: HTMLElement, text: string) {
  const input = box.querySelector('input[type=file]') as HTMLInputElement
  Object.defineProperty(input, 'files', { value: [new File([text], 'r.json')], configurable: true })
  input.dispatchEvent(new Event('change', { bubbles: true }))
  await vi.waitFor(() => settled())
  await new Promise((done) => setTimeout(done, 0))
  await settled()
}
const FILE = JSON.stringify({
  format: 'canaleta away results',
  version: 1,
  package: 'kiln 2',
  results: [{ key: 'a' }, { key: 'b' }],
})

test('results are looked at first, then signed; what waits says why', async () => {
  const waits = told('b', {
    state: 'waits',
    code: 'changed',
    says: 'PT-3107 was changed after the package was taken along',
  })
  const { box, asked } = await page([], {
    'POST /api/away/look': { results: [told('a'), waits] },
    'POST /api/away/bring': { results: [told('a', { state: 'signed', record: 9 }), waits] },
  })
  await choose(box, FILE)
  expect(asked.some((a) => a.path === '/api/away/bring')).toBe(false)
  expect(button(box, 'bring 2 back, 1 of them are signed')).toBeDefined()
  await typed(field(box, 'your password once more'), 'a long word')
  await sent(
    box,
    [...box.querySelectorAll('form')].findIndex((f) => f.textContent!.includes('bring 2 back')),
  )
  await settled()
  expect(asked.find((a) => a.path === '/api/away/bring')!.body).toMatchObject({
    package: 'kiln 2',
    password: 'a long word',
  })
  expect(flat(box)).toContain('✓ signed')
  expect(flat(box)).toContain('▲ waits')
})

test('a file that is none is told, and nothing is sent', async () => {
  const { box, asked } = await page([])
  await choose(box, 'not json')
  expect(flat(box)).toContain('“r.json”: this is no file of results: it cannot be read')
  expect(asked.some((a) => a.path.startsWith('/api/away/look'))).toBe(false)
})
