import { createApp, h, nextTick, ref, type Ref } from 'vue'
import { afterEach, expect, test } from 'vitest'
import { useEscape } from './escape'

let unmount: (() => void) | undefined
afterEach(() => {
  unmount?.()
  document.body.innerHTML = ''
})

/** A page with a search field and a small window that has a field of its own. */
function page(open: Ref<boolean>, left: string[]) {
  const box = ref<HTMLElement | null>(null)
  const app = createApp({
    setup() {
      useEscape(() => true, () => left.push('page')) // prettier-ignore
      useEscape(() => open.value, () => { left.push('window'); open.value = false }, box) // prettier-ignore
      return () => [
        h('input', { id: 'search' }),
        open.value ? h('form', { ref: box }, [h('input', { id: 'amount' })]) : null,
      ]
    },
  })
  const root = document.createElement('div')
  document.body.append(root)
  app.mount(root)
  unmount = () => app.unmount()
}
const field = (id: string) => document.getElementById(id) as HTMLInputElement
const esc = (at: EventTarget = document.body) =>
  at.dispatchEvent(new KeyboardEvent('keydown', { key: 'Escape', bubbles: true, cancelable: true }))

test('the small window that is open hears Esc before the page', async () => {
  const left: string[] = []
  const open = ref(true)
  page(open, left)
  esc()
  await nextTick()
  esc()
  expect(left).toEqual(['window', 'page'])
})

test('a field puts back what stood there and is left, and nothing else closes', () => {
  const left: string[] = []
  page(ref(true), left)
  const search = field('search')
  search.value = 'PT'
  search.focus()
  search.value = 'PT-31'
  esc(search)
  expect(search.value).toBe('PT')
  expect(document.activeElement).not.toBe(search)
  expect(left).toEqual([])
})

test('a find field is emptied', () => {
  page(ref(false), [])
  const search = field('search')
  search.type = 'search'
  search.value = 'PT'
  search.focus()
  let heard = 'nothing'
  search.addEventListener('input', () => (heard = search.value))
  esc(search)
  expect(heard).toBe('')
})

test('in a field of the window, the window closes', () => {
  const left: string[] = []
  page(ref(true), left)
  field('amount').focus()
  esc(field('amount'))
  expect(left).toEqual(['window'])
})

test('who is gone hears nothing, and what was handled is heard by nobody else', async () => {
  const left: string[] = []
  page(ref(false), left)
  const handled = new KeyboardEvent('keydown', { key: 'Escape', bubbles: true, cancelable: true })
  field('search').addEventListener('keydown', (event) => event.preventDefault(), { once: true })
  field('search').dispatchEvent(handled)
  unmount!()
  unmount = undefined
  esc()
  expect(left).toEqual([])
})
