/** Components mounted for tests: a plant of two points, an API that answers from a table, a page that is cleared away. */
import { createPinia, setActivePinia } from 'pinia'
import { createApp, h, nextTick, type Component } from 'vue'
import { createMemoryHistory, createRouter, type Router, type RouteRecordRaw } from 'vue-router'
import { vi } from 'vitest'
import { api } from '../api/client'
import { tip } from '../kit/tip'
import { usePlant } from '../plant/store'
import { vuetifyOf } from '../theme/vuetify'

let unmount: (() => void) | undefined

/** A fresh plant: PT-3107 on rack 1 (stand-in) and ZV-2 on rack 2, and somebody who may do all that is named. */
export function plantOf(rights: string[] = ['look', 'read', 'edit', 'inject', 'engineer']) {
  setActivePinia(createPinia())
  const plant = usePlant()
  const rack = (id: number) => ({ id, name: `KC-2 rack ${id}`, period_ms: 1000, stand_in: true })
  plant.plant = { racks: [rack(1), rack(2)], fields: [], families: {}, stale_after_periods: 2 } as never
  plant.session = { account: 'ana', role: 'technician', rights } as never
  plant.list.load({
    seq: 5,
    ids: [11, 12],
    racks: [1, 2],
    columns: { tag: ['PT-3107', 'ZV-2'], value_low: ['0', '0'], value_high: ['500', '100'], value_unit: ['mbar', '%'] },
  }) // prettier-ignore
  return plant
}

interface Asked {
  way: string
  path: string
  body: Record<string, unknown>
}

/** What a plant without any says where a test says nothing of it. */
const NOTHING_KEPT: Record<string, unknown> = {
  'POST /api/findings/ways': { ways: [], left: [] },
  'GET /api/instruments': { instruments: [] },
  'GET /api/points/{point}/ladder': { point: 11, status: '', rungs: [], events: [], blockers: [] },
  'GET /api/away/waiting': { results: [] },
  'GET /api/due': { points: [], count: 0 },
  'GET /api/dossiers': { dossiers: [], systems: {} },
}

/** Answer every request: by "METHOD path", what it gives, a promise of it, or a function of its body; a title alone is a refusal. */
export function answering(answers: Record<string, unknown>): Asked[] {
  const asked: Asked[] = []
  for (const way of ['GET', 'POST', 'PUT', 'DELETE'] as const)
    vi.spyOn(api, way).mockImplementation((async (
      path: string,
      options?: { body?: Record<string, unknown> },
    ) => {
      const body = options?.body ?? {}
      asked.push({ way, path, body })
      const given = answers[`${way} ${path}`] ?? NOTHING_KEPT[`${way} ${path}`]
      const made = typeof given === 'function' ? (given as (body: unknown) => unknown)(body) : given
      const answer = made instanceof Promise ? await made : made
      if (typeof answer === 'string')
        return { error: { title: answer, status: 422, detail: '', remedy: '', cells: [] }, response: new Response(null, { status: 422 }) } // prettier-ignore
      return { data: answer ?? {}, response: new Response() }
    }) as never)
  return asked
}

// What a browser has and this page of tests lacks: the library measures by it where a menu may lie.
window.visualViewport ??= Object.assign(new EventTarget(), {
  width: 1280,
  height: 800,
  scale: 1,
  offsetLeft: 0,
  offsetTop: 0,
  pageLeft: 0,
  pageTop: 0,
}) as never

let router: Router | undefined

/** Where the page is. */
export const placeNow = () => router!.currentRoute.value.fullPath

/** Go to another address of the page. */
export async function gone(to: string) {
  await router!.push(to).catch(() => undefined)
  await nextTick()
}

/** Mount a component in a page of its own, at an address; routes: the pages that it can show. */
export async function mounted(
  what: Component,
  props: Record<string, unknown> = {},
  { at = '', routes = [] as RouteRecordRaw[] } = {},
): Promise<HTMLElement> {
  const box = document.createElement('div')
  document.body.append(box)
  const app = createApp({ render: () => h(what, props) })
  const anywhere = [{ path: '/:any(.*)*', name: 'any', component: { render: () => null } }]
  router = createRouter({ history: createMemoryHistory(), routes: [...routes, ...anywhere] })
  if (at) await router.push(at)
  app.use(router)
  app.use(vuetifyOf(false)).directive('tip', tip)
  app.mount(box)
  unmount = () => app.unmount()
  await nextTick()
  return box
}

/** Wait until what was asked has been answered and drawn. */
export async function settled() {
  for (let turn = 0; turn < 40; turn++) await nextTick()
}

// The browser's own, also where a test has taken the clock into its hand.
const realTurn = globalThis.setTimeout
const oneTurn = () => new Promise((gone) => realTurn(gone, 0))

/** Wait until the page has come to an address, however many answers lie on the way. */
export async function arrived(at: string) {
  for (let turn = 0; turn < 1000 && placeNow() !== at; turn++) await oneTurn()
  if (placeNow() !== at) throw new Error(`the page is at ${placeNow()}, not at ${at}`)
}

// What a page puts off (a look when typing rests) outlives it by a moment: it would ask in the test that comes next, and be
// counted there. What is put off is known here, so that it ends with its test.
const putOff = new Set<Parameters<typeof clearTimeout>[0]>()
for (const name of ['setTimeout', 'setInterval'] as const) {
  const real = globalThis[name] as (...given: unknown[]) => Parameters<typeof clearTimeout>[0]
  globalThis[name] = ((...given: unknown[]) => {
    const timer = real(...given)
    putOff.add(timer)
    return timer
  }) as never
}

/** To be called after each test. */
export function cleared() {
  unmount?.()
  unmount = undefined
  vi.useRealTimers()
  for (const timer of putOff) clearTimeout(timer)
  putOff.clear()
  vi.restoreAllMocks()
  document.body.innerHTML = ''
}

export const button = (box: HTMLElement, text: string) =>
  [...box.querySelectorAll('button')].find((b) => b.textContent?.trim() === text)

/** The field of a label, by the label's words or its accessible name. */
export function field(box: HTMLElement, name: string): HTMLInputElement {
  const label = [...box.querySelectorAll('label')].find((l) => l.textContent?.trim().startsWith(name))
  const found =
    label?.querySelector('input, select, textarea') ??
    box.querySelector(`[aria-label="${name}"], [placeholder="${name}"]`)
  if (!found) throw new Error(`no field “${name}”`)
  return found as HTMLInputElement
}

export async function typed(at: HTMLInputElement, text: string) {
  at.value = text
  at.dispatchEvent(new Event('input', { bubbles: true }))
  at.dispatchEvent(new Event('change', { bubbles: true }))
  await nextTick()
}

export async function sent(box: HTMLElement, which = 0) {
  box.querySelectorAll('form')[which]!.dispatchEvent(new Event('submit', { bubbles: true, cancelable: true }))
  await nextTick()
}
