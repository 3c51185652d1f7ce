import { readFileSync } from 'node:fs'
import { join } from 'node:path'
import { expect, test } from 'vitest'
import { anchor, rendered } from '../../guide'
import { PAGES } from './places'

const TEXT = readFileSync(join(process.cwd(), '../docs/guide.md'), 'utf8')

test('every page has a chapter of the guide that is there', () => {
  const there = [...rendered(TEXT).html.matchAll(/ id="([^"]+)"/g)].map(([, id]) => id)
  for (const page of PAGES) expect(there, page.name).toContain(page.guide)
})

test('a heading is named in an address as repositories name it', () => {
  expect(anchor('Rules: the plant’s conventions')).toBe('rules-the-plants-conventions')
})

test('what looks like HTML in the guide is text', () => {
  expect(rendered('## A\n\n<script>x</script>').html).not.toContain('<script>')
})
