import { afterEach, expect, test } from 'vitest'
import { answering, cleared, mounted, plantOf, settled } from '../../testing/mounted'
import ProjectPanel from './ProjectPanel.vue'

afterEach(cleared)

async function panel(answers: Record<string, unknown>) {
  plantOf()
  const asked = answering(answers)
  const chosen: number[] = []
  const renewed: string[] = []
  const box = await mounted(ProjectPanel, {
    unit: 'IO_KC_2',
    onChoose: (point: number) => chosen.push(point),
    onRenewed: (text: string) => renewed.push(text),
  })
  return { box, asked, chosen, renewed }
}
async function give(box: HTMLElement, which: number, ...files: File[]) {
  const input = box.querySelectorAll<HTMLInputElement>('input[type=file]')[which]!
  Object.defineProperty(input, 'files', { value: files, configurable: true })
  input.dispatchEvent(new Event('change', { bubbles: true }))
  await settled()
  await settled()
}
const FINDING = { code: 'missing call', rule: 'R28', file: 'a.st', unit: 'IO_KC_2', line: 41, says: 'PT_3107_Line is never called', point: 11, tag: 'PT-3107' } // prettier-ignore

test('a project that comes back shows what is wrong with its place, and leads to the point', async () => {
  const { box, asked, chosen } = await panel({
    'POST /api/program/check': { findings: [FINDING], units: ['IO_KC_2'] },
  })
  await give(box, 0, new File(['PROGRAM'], 'a.st'), new File(['BLOCKS'], 'b.st'))
  expect(asked[0]!.body).toEqual({
    files: [
      { name: 'a.st', text: 'PROGRAM' },
      { name: 'b.st', text: 'BLOCKS' },
    ],
  })
  expect([...box.querySelectorAll('tbody td')].map((td) => td.textContent!.trim())).toEqual(['a.st', '41', 'R28', 'PT-3107', 'PT_3107_Line is never called']) // prettier-ignore
  box.querySelector<HTMLElement>('tbody button')!.click()
  expect(chosen).toEqual([11])
})

test('a project in order is told to be', async () => {
  const { box } = await panel({ 'POST /api/program/check': { findings: [], units: ['IO_KC_2'] } })
  await give(box, 0, new File(['x'], 'a.st'))
  expect(box.textContent).toContain('everything is there, called, and as the list has it')
})

test('a document that is no project is told, and one that is too large is not even read', async () => {
  const { box, asked } = await panel({ 'POST /api/program/check': 'p.xml: it is no XML' })
  await give(box, 0, new File(['<'], 'p.xml'))
  expect(box.querySelector('[role=alert]')!.textContent).toContain('it is no XML')
  const large = new File(['x'], 'large.st')
  Object.defineProperty(large, 'size', { value: 9_000_000 })
  await give(box, 0, large)
  expect(asked.length).toBe(1)
  expect(box.querySelector('[role=alert]')!.textContent).toContain('larger than 3 MB')
})

test('a text made before shows what is otherwise and keeps what stood there by hand', async () => {
  const { box, renewed } = await panel({
    'POST /api/program/difference': { lines: ['-A := B[1];', '+A := B[2];'], count: 1, same: 972, text: 'new', lost: { 'somewhere': ['X := 1;'] } }, // prettier-ignore
  })
  await give(box, 1, new File(['old'], 'IO_KC_2.st'))
  expect(box.textContent).toContain('1 line is another, 972 are as they were')
  expect([...box.querySelectorAll('.diff span')].map((s) => s.className)).toEqual(['went', 'came'])
  expect(box.textContent).toContain('1 lines by hand stood at “somewhere”')
  expect(renewed).toEqual(['new'])
})
