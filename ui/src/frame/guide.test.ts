import { readFileSync } from 'node:fs'
import { join } from 'node:path'
import { expect, test } from 'vitest'
import { anchor, filesOf, rendered } from '../../guide'
import { PAGES } from './places'

const TEXT = filesOf(join(process.cwd(), '../docs/guide'))
  .map((file) => readFileSync(file, 'utf8'))
  .join('\n')

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

test('each chapter stands under the job it is for, and no two have one name', () => {
  const { chapters } = rendered(TEXT)
  expect([...new Set(chapters.map((chapter) => chapter.job))]).toHaveLength(7)
  expect(new Set(chapters.map((chapter) => chapter.anchor)).size).toBe(chapters.length)
})

test('a link to a chapter stays on the page, one to another file is no link here', () => {
  const { html } = rendered(
    'see [alarms](3-watch.md#alarms), [rules](../rules.md), [out](https://example.org)',
  )
  expect(html).toContain('<a href="#alarms">alarms</a>')
  expect(html).toContain('<a>rules</a>')
  expect(html).toContain('<a href="https://example.org">')
})
