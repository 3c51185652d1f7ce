import { afterEach, beforeEach, expect, test, vi } from 'vitest'
import { defineComponent, h, nextTick, onMounted, ref } from 'vue'
import { button, cleared, gone, mounted, placeNow, plantOf, settled } from '../testing/mounted'
import { drawing } from './faults'
import PageGuard from './PageGuard.vue'

let broken = true
const shaky = defineComponent(() => () => {
  if (broken) throw new Error('no such column')
  return h('p', 'all is well')
})
const clicked = defineComponent(() => {
  const n = ref(0)
  return () => [
    h('button', { onClick: () => (n.value++, Promise.reject(new Error('no answer'))) }, 'press'),
    h('p', `pressed ${n.value}`),
  ]
})
const late = defineComponent(() => {
  onMounted(() => Promise.reject(new Error('nothing came')))
  return () => h('p', 'drawn all the same')
})
const routes = [
  { path: '/shaky', component: shaky },
  { path: '/clicked', component: clicked },
  { path: '/late', component: late },
  { path: '/away', component: () => Promise.reject(new Error('the file has gone')) },
]

beforeEach(() => {
  broken = true
  vi.spyOn(console, 'error').mockImplementation(() => undefined)
})
afterEach(cleared)

test('a page that cannot be drawn is said so, and is drawn when it is tried again', async () => {
  plantOf()
  const box = await mounted(PageGuard, {}, { at: '/shaky', routes })
  expect(box.querySelector('[role=alert]')!.textContent).toContain('no such column')
  broken = false
  button(box, 'try again')!.click()
  await settled()
  expect(box.textContent).toContain('all is well')
})

test('another page is reached from one that failed', async () => {
  plantOf()
  const box = await mounted(PageGuard, {}, { at: '/shaky', routes })
  await gone('/clicked')
  await settled()
  expect(box.querySelector('[role=alert]')).toBeNull()
  expect(box.textContent).toContain('pressed 0')
})

test('what fails under the hand or on its way leaves the page, and is told', async () => {
  const plant = plantOf()
  const box = await mounted(PageGuard, {}, { at: '/clicked', routes })
  button(box, 'press')!.click()
  await settled()
  expect(box.textContent).toContain('pressed 1')
  expect(plant.notice).toMatchObject({ kind: 'bad' })
  expect(plant.notice!.text).toContain('no answer')
  await gone('/late')
  await settled()
  expect(box.textContent).toContain('drawn all the same')
  expect(plant.notice!.text).toContain('nothing came')
})

test('a page whose file has gone is loaded anew at the address one wanted', async () => {
  plantOf()
  const box = await mounted(PageGuard, {}, { at: '/clicked', routes })
  const assign = vi.spyOn(location, 'assign').mockImplementation(() => undefined)
  await gone('/away')
  await settled()
  expect(placeNow()).toBe('/clicked')
  button(box, 'load it anew')!.click()
  expect(assign).toHaveBeenCalledWith('/away')
})

test('the codes of a build for use and the words of one for development are told alike', async () => {
  await nextTick()
  const of = (code: string) => drawing(`https://vuejs.org/error-reference/#runtime-${code}`)
  expect(['0', '1', '15', '5', '6', '3', 'm'].map(of)).toEqual([true, true, true, false, false, false, false])
  expect([drawing('render function'), drawing('native event handler')]).toEqual([true, false])
})
