/** Packages of work on their way: made into one file, kept on this device, and results in parts that the server takes. */
import { ask, api, said, type Schemas } from '../api/client'

export type Brought = Schemas['BroughtOut']

const KEPT = 'canaleta-away'
/** The most results in one request: each may carry a photo of some hundred kilobytes. */
const AT_ONCE = 20
const MOST_CHARACTERS = 6_000_000

/** The page that is taken along, with a package in it. */
export function pageWith(template: string, taken: unknown): string {
  const text = JSON.stringify(taken).replaceAll('<', '\\u003c')
  return template.replace('/*package*/', () => text)
}

/** Take a package along: the page with everything in it, or why not. */
export async function takeAlong(name: string): Promise<{ page: string } | { problem: string }> {
  const answer = await ask(
    api.POST('/api/packages/{name}/away', { params: { path: { name } }, body: { hold: true } }),
  )
  if (answer.problem) return { problem: said(answer.problem) }
  try {
    const template = await fetch('/away.html')
    if (!template.ok) throw new Error('no template')
    return { page: pageWith(await template.text(), answer.data) }
  } catch {
    return { problem: 'the page to take along could not be fetched · try again' }
  }
}

/** Whether this browser can keep a page for when there is no network. */
export const canKeep = () => 'serviceWorker' in navigator && 'caches' in globalThis

/** Keep a page on this device under its own address; it opens there without a network. */
export async function keepHere(name: string, page: string): Promise<string> {
  await navigator.serviceWorker.register('/away-worker.js', { scope: '/away/' })
  const path = `/away/${encodeURIComponent(name)}`
  const kept = await caches.open(KEPT)
  await kept.put(path, new Response(page, { headers: { 'Content-Type': 'text/html; charset=utf-8' } }))
  return path
}

export interface Results {
  package: string
  results: Schemas['ResultIn'][]
  punches: Schemas['AwayPunchIn'][]
  marks: Schemas['AwayMarkIn'][]
}

/** What a file of results holds. Throws in words for what is none. */
export function readResults(text: string): Results {
  let body: unknown
  try {
    body = JSON.parse(text)
  } catch {
    throw new Error('this is no file of results: it cannot be read')
  }
  const { format, version } = body as { format?: string; version?: number }
  if (format === 'canaleta away')
    throw new Error('this is the package, not its results: save them there first')
  if (format !== 'canaleta away results' || version !== 1)
    throw new Error('this is no file of results of a package that was taken along')
  const { package: name, results = [], punches = [], marks = [] } = body as Partial<Results>
  return { package: name ?? '', results, punches, marks }
}

/** The same in parts that fit into a request. */
export function partsOf(all: Results): Results[] {
  const parts: Results[] = []
  const next = () => (
    parts.push({ package: all.package, results: [], punches: [], marks: [] }),
    parts.at(-1)!
  )
  let part = next()
  let size = 0
  for (const name of ['results', 'punches', 'marks'] as const)
    for (const one of all[name]) {
      const long = JSON.stringify(one).length
      const count = part.results.length + part.punches.length + part.marks.length
      if (count >= AT_ONCE || (count && size + long > MOST_CHARACTERS)) {
        part = next()
        size = 0
      }
      part[name].push(one as never)
      size += long
    }
  return parts
}
