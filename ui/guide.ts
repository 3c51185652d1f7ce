/** The guide of docs/, made into a page when the front end is built: a reader needs no network and no second program. */
import { readFileSync } from 'node:fs'
import { fileURLToPath } from 'node:url'
import MarkdownIt from 'markdown-it'
import type { Plugin } from 'vite'

const NAME = 'virtual:guide'

/** The name of a heading in an address, as repositories show it. */
export const anchor = (heading: string) =>
  heading.toLowerCase().replace(/[^\p{L}\p{N}\s-]/gu, '').trim().replace(/\s/g, '-') // prettier-ignore

export function rendered(text: string): { html: string; chapters: { anchor: string; says: string }[] } {
  const markdown = new MarkdownIt({ html: false, linkify: false })
  const chapters: { anchor: string; says: string }[] = []
  markdown.renderer.rules.heading_open = (tokens, at) => {
    const says = tokens[at + 1]!.children!.map((part) => part.content).join('')
    if (tokens[at]!.tag === 'h2') chapters.push({ anchor: anchor(says), says })
    return `<${tokens[at]!.tag} id="${anchor(says)}">`
  }
  const html = markdown.render(text)
  return { html, chapters }
}

export function guide(): Plugin {
  return {
    name: 'guide',
    resolveId: (id) => (id === NAME ? `\0${NAME}` : undefined),
    load(id) {
      if (id !== `\0${NAME}`) return undefined
      const file = fileURLToPath(new URL('../docs/guide.md', import.meta.url))
      this.addWatchFile(file)
      return `export default ${JSON.stringify(rendered(readFileSync(file, 'utf8')))}`
    },
  }
}
