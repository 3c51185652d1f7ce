/** The guide of docs/, made into a page when the front end is built: a reader needs no network and no second program. */
import { readFileSync, readdirSync } from 'node:fs'
import { join } from 'node:path'
import { fileURLToPath } from 'node:url'
import MarkdownIt from 'markdown-it'
import type { Plugin } from 'vite'

const NAME = 'virtual:guide'

/** The name of a heading in an address, as repositories show it. */
export const anchor = (heading: string) =>
  heading.toLowerCase().replace(/[^\p{L}\p{N}\s-]/gu, '').trim().replace(/\s/g, '-') // prettier-ignore

export interface Guide {
  html: string
  /** Chapters, each with the job it is for. */
  chapters: { anchor: string; says: string; job: string }[]
}

/** The files of the guide's folder, a job each, in their order; its own list of them is for who reads the folder. */
export const filesOf = (folder: string) =>
  readdirSync(folder)
    .filter((name) => /^\d.*\.md$/.test(name))
    .sort()
    .map((name) => join(folder, name))

export function rendered(text: string): Guide {
  const markdown = new MarkdownIt({ html: false, linkify: false })
  const chapters: Guide['chapters'] = []
  let job = ''
  markdown.renderer.rules.heading_open = (tokens, at) => {
    const says = tokens[at + 1]!.children!.map((part) => part.content).join('')
    if (tokens[at]!.tag === 'h1') job = says
    if (tokens[at]!.tag === 'h2') chapters.push({ anchor: anchor(says), says, job })
    return `<${tokens[at]!.tag} id="${anchor(says)}">`
  }
  // Another file of docs/ is not in the program; a chapter that a link names is on this same page.
  markdown.core.ruler.push('links', ({ tokens }) => {
    for (const link of tokens
      .flatMap((token) => token.children ?? [])
      .filter((t) => t.type === 'link_open')) {
      const [, file, chapter] = /^([\w./-]+\.md)(#.*)?$/.exec(String(link.attrGet('href') ?? '')) ?? []
      if (file && chapter) link.attrSet('href', chapter)
      else if (file) link.attrs = []
    }
  })
  return { html: markdown.render(text), chapters }
}

export function guide(): Plugin {
  return {
    name: 'guide',
    resolveId: (id) => (id === NAME ? `\0${NAME}` : undefined),
    load(id) {
      if (id !== `\0${NAME}`) return undefined
      const files = filesOf(fileURLToPath(new URL('../docs/guide', import.meta.url)))
      for (const file of files) this.addWatchFile(file)
      const text = files.map((file) => readFileSync(file, 'utf8')).join('\n')
      return `export default ${JSON.stringify(rendered(text))}`
    },
  }
}
