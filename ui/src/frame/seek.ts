/**
 * What a few words lead to, wherever one is: pages, things to do, points, findings, modules, cables.
 *
 *     seek('kiln 2', plant, findRows, commands)   // at most a handful of each, the best first
 */
import type { usePlant } from '../plant/store'
import { gist } from '../plant/findings'
import type { Command } from './bar'
import { PAGES } from './places'

type Plant = ReturnType<typeof usePlant>

export interface Hit {
  kind: 'page' | 'do' | 'point' | 'finding' | 'module' | 'cable'
  says: string
  more: string
  keys?: string
  to?: string
  run?: () => unknown
}

const MOST = 6
const MODULE = /^(.+·.+·.+)·[^·]+$/

/** Whether every word of a text begins a word of another. */
export function leads(text: string, to: string): boolean {
  const words = to.toLowerCase().split(/[^\p{L}\p{N}]+/u)
  return text.toLowerCase().split(/\s+/).filter(Boolean).every((part) => words.some((word) => word.startsWith(part)))
} // prettier-ignore

function some<T>(all: Iterable<T>, wanted: (one: T) => boolean): T[] {
  const out: T[] = []
  for (const one of all) if (out.length < MOST && wanted(one)) out.push(one)
  return out
}

export function seek(
  text: string,
  plant: Plant,
  findRows: (query: string) => { rows: number[] },
  commands: readonly Command[] = [],
): Hit[] {
  const sought = text.trim()
  const pages = PAGES.filter((page) => !sought || leads(sought, `${page.says} ${page.also ?? ''}`))
  const doing = commands.filter((one) => !sought || leads(sought, one.says))
  const hits: Hit[] = [
    ...doing.map(({ says, keys, run }): Hit => ({ kind: 'do', says, more: '', run, ...(keys ? { keys } : {}) })),
    ...pages.map((page): Hit => ({ kind: 'page', says: page.says, more: '', to: page.to })),
  ]
  if (!sought) return hits
  const { list } = plant
  const rows = findRows(sought).rows
  const tag = (row: number) => list.text('tag', row).toLowerCase()
  const wanted = sought.toLowerCase()
  // Whose tag it is comes before whose notes name it.
  const best = [...some(rows, (row) => tag(row).startsWith(wanted)), ...some(rows, (row) => !tag(row).startsWith(wanted))]
  const points = best.slice(0, MOST).map((row): Hit => ({ kind: 'point', says: list.text('tag', row), more: list.text('service', row), to: `/point/${list.ids[row]}` }))
  if (rows.length > points.length)
    points.push({ kind: 'point', says: `all ${rows.length} in the list`, more: '', to: `/list?find=${encodeURIComponent(sought)}` })
  const findings = some(plant.findings.values(), (f) => `${f.rule} ${f.text}`.toLowerCase().includes(wanted))
  const modules = new Set<string>()
  const cables = new Set<string>()
  for (const row of list.rows()) {
    const module = MODULE.exec(list.text('channel', row))?.[1]
    if (module?.toLowerCase().includes(wanted)) modules.add(module)
    const cable = list.text('cable', row)
    if (cable && cable.toLowerCase().includes(wanted)) cables.add(cable)
  }
  return [
    ...points,
    ...hits,
    ...findings.map((f): Hit => ({ kind: 'finding', says: gist(f.text), more: f.rule, to: `/findings?at=${encodeURIComponent(f.key)}` })),
    ...some(modules, () => true).map((name): Hit => ({ kind: 'module', says: name, more: 'its points', to: `/list?find=${encodeURIComponent(`channel:${name}`)}` })),
    ...some(cables, () => true).map((name): Hit => ({ kind: 'cable', says: name, more: 'its cores', to: `/cables?cable=${encodeURIComponent(name)}` })),
  ]
} // prettier-ignore
