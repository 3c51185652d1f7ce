import { afterEach, expect, test } from 'vitest'
import { cleared, mounted, plantOf, settled } from '../../testing/mounted'
import CodeView from './CodeView.vue'

afterEach(cleared)

test('of a long text only the lines in sight are drawn', async () => {
  plantOf()
  const text = Array.from({ length: 20_000 }, (_, k) => `A${k} := ${k};`).join('\n')
  const box = await mounted(CodeView, { text, label: 'code' })
  await settled()
  expect(box.querySelectorAll('.row').length).toBeLessThan(120)
  expect(box.querySelector<HTMLElement>('.all')!.style.height).toBe('360000px')
})

test('comments are quiet over their lines, and what stands behind them is not', async () => {
  plantOf()
  const text = ['(* a head', '   goes on *)', 'X := 1; (* why *)', 'Y := 2;', '/* c */', 'z;'].join('\n')
  const box = await mounted(CodeView, { text, label: 'code' })
  await settled()
  expect([...box.querySelectorAll('.row')].map((row) => row.querySelector('.quiet')?.textContent ?? '')).toEqual([
    '(* a head', '   goes on *)', '(* why *)', '', '/* c */', '',
  ]) // prettier-ignore
})

test('a line of a point chooses it; others choose nothing', async () => {
  plantOf()
  const chosen: number[] = []
  const box = await mounted(CodeView, { text: 'a\nb', label: 'code', points: new Map([[2, 11]]), onChoose: (p: number) => chosen.push(p) }) // prettier-ignore
  await settled()
  box.querySelectorAll<HTMLElement>('.row').forEach((row) => row.click())
  expect(chosen).toEqual([11])
})
