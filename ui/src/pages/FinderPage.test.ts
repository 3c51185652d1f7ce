import { afterEach, expect, test, vi } from 'vitest'
import { answering, button, cleared, field, mounted, plantOf, sent, settled, typed } from '../testing/mounted'
import FinderPage from './FinderPage.vue'

afterEach(cleared)

const LOOK = {
  says: '',
  words: [0x4240, 0xcccd],
  decodings: [
    { name: 'unsigned 16', order: 'AB', words: 1, values: [16960, 52429], fits: 0, sane: true },
    { name: 'float 32', order: 'CDAB', words: 2, values: [-1.0747e8], fits: 0, sane: false },
    { name: 'float 32', order: 'ABCD', words: 2, values: [48.2], fits: 1, sane: true },
  ],
} // prettier-ignore

async function page(answer: unknown) {
  plantOf()
  const asked = answering({ 'POST /api/finder': answer })
  const box = await mounted(FinderPage)
  return { box, asked }
}
async function look(box: HTMLElement) {
  await sent(box)
  await settled()
}

test('what meets the value stands first, what is no number of a sensible size last', async () => {
  const { box, asked } = await page(LOOK)
  await typed(field(box, 'it ought to say'), '48,2')
  await look(box)
  expect(asked[0]!.body).toMatchObject({ function: 'input', first: 0, count: 8, target: 48.2 })
  const names = [...box.querySelectorAll('tbody tr')].map((tr) => [...tr.querySelectorAll('td')].slice(0, 2).map((td) => td.textContent).join(' ')) // prettier-ignore
  expect(names).toEqual(['● float 32 ABCD', 'unsigned 16 AB', 'float 32 CDAB'])
  expect(box.querySelectorAll('tr.unlikely').length).toBe(1)
  expect(box.querySelector('td.fits')?.textContent?.trim()).toBe('48.2')
})

test('words stand in hexadecimal under their registers, large figures with an exponent and our minus', async () => {
  const { box } = await page(LOOK)
  await look(box)
  expect(box.querySelector('.words')?.textContent?.replace(/\s+/g, ' ').trim()).toBe('0 42401 CCCD')
  expect(box.textContent).toContain('−1.075e+8')
})

test('a server that refuses says so, and nothing old stands beside it as if it were new', async () => {
  const { box } = await page({ says: 'there is no such register', words: [], decodings: [] })
  await look(box)
  expect(box.querySelector('p[role=alert]')?.textContent).toBe('■ there is no such register')
  expect(box.querySelector('table')).toBeNull()
})

test('again and again asks each second until it is left', async () => {
  vi.useFakeTimers()
  const { box, asked } = await page(LOOK)
  const again = [...box.querySelectorAll<HTMLInputElement>('input[type=checkbox]')][0]!
  again.click()
  await settled()
  await look(box)
  await vi.advanceTimersByTimeAsync(2_100)
  expect(asked.length).toBe(3)
  cleared()
})

test('a refusal of ours ends the asking', async () => {
  vi.useFakeTimers()
  const { box, asked } = await page('this address is not allowed')
  const again = [...box.querySelectorAll<HTMLInputElement>('input[type=checkbox]')][0]!
  again.click()
  await settled()
  await look(box)
  await vi.advanceTimersByTimeAsync(5_000)
  expect(asked.length).toBe(1)
  expect(button(box, 'look')!.disabled).toBe(false)
})
