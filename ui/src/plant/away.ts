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

/** Take a package along: the page with everything in it and the code of this time, or why not. */
export async function takeAlong(name: string): Promise<{ page: string; code: string } | { problem: string }> {
  const answer = await ask(
    api.POST('/api/packages/{name}/away', { params: { path: { name } }, body: { hold: true } }),
  )
  if (answer.problem) return { problem: said(answer.problem) }
  try {
    const template = await fetch('/away.html')
    if (!template.ok) throw new Error('no template')
    const { code } = answer.data as unknown as { code: string }
    return { page: pageWith(await template.text(), answer.data), code }
  } catch {
    return { problem: 'the page to take along could not be fetched · try again' }
  }
}

/** Whether this browser can keep a page for when there is no network. */
export const canKeep = () => 'serviceWorker' in navigator && 'caches' in globalThis

/** A page that is kept on this device: of which package, and where it opens. */
export interface Kept {
  name: string
  path: string
}

/**
 * Keep a page on this device under an address of its own; it opens there without a network. One that was kept before stays
 * beside it: what was typed there is in it.
 */
export async function keepHere(name: string, code: string, page: string): Promise<void> {
  await navigator.serviceWorker.register('/away-worker.js', { scope: '/away/' })
  const kept = await caches.open(KEPT)
  const path = `/away/${encodeURIComponent(name)}/${code}`
  await kept.put(path, new Response(page, { headers: { 'Content-Type': 'text/html; charset=utf-8' } }))
}

/** The pages that are kept on this device. */
export async function keptHere(): Promise<Kept[]> {
  if (!canKeep()) return []
  const pages = await (await caches.open(KEPT)).keys()
  return pages.map((page) => {
    const path = new URL(page.url).pathname
    return { name: decodeURIComponent(path.split('/')[2] ?? ''), path }
  })
}

/** Remove a page from this device, and with it the way to what was typed there. */
export async function dropHere(path: string): Promise<void> {
  await (await caches.open(KEPT)).delete(path)
}

export interface Results {
  plant: string
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
  const { plant = '', package: name, results = [], punches = [], marks = [] } = body as Partial<Results>
  return { plant, package: name ?? '', results, punches, marks }
}

/** The same in parts that fit into a request. */
export function partsOf(all: Results): Results[] {
  const parts: Results[] = []
  const next = () => (parts.push({ ...all, results: [], punches: [], marks: [] }), parts.at(-1)!)
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
