import { afterEach, expect, test, vi } from 'vitest'
import { answering, button, cleared, mounted, plantOf, settled } from '../testing/mounted'
import { usePlant } from '../plant/store'
import ProgramPage from './ProgramPage.vue'

afterEach(cleared)

const TEXT = [
  'PROGRAM IO_KC_2', 'PT_3107_Raw := A[1]; (* PT-3107 *)', '(* Values. *)', '(* PT-3107 *)', 'PT_3107 := PT_3107_Line.V;', 'ZV_2 := ZV_2_Raw;', 'END_PROGRAM',
].join('\n') // prettier-ignore
const SCOPES = {
  scopes: [
    { kind: 'cabinet', name: 'KC-1', unit: 'IO_KC_1', points: 1 },
    { kind: 'cabinet', name: 'KC-2', unit: 'IO_KC_2', points: 2 },
  ],
  real: 'REAL', rounding: 'half to even', scan_ms: 100, longest_name: 32, prefix: '',
} // prettier-ignore
const code = (point: number, tag: string, name: string, kind: string, lines: number[], notes: string[] = []) => ({
  point, tag, name, kind, service: 'main', lines, notes,
}) // prettier-ignore
const PROGRAM = {
  unit: 'IO_KC_2', kind: 'cabinet', name: 'KC-2', file: 'IO_KC_2.st', text: TEXT, blocks: 'FUNCTION_BLOCK CT_Line', header: '#ifndef H', c: 'void IO_KC_2_scan(int32_t now_ms) {}',
  codes: [code(11, 'PT-3107', 'PT_3107', 'AI', [2, 4, 5], ['cut off at 25 characters']), code(12, 'ZV-2', 'ZV_2', 'DO', [6])],
  refused: [{ point: 13, tag: 'TE-9', code: 'no channel', says: 'it has no channel yet' }],
  digest: 'd1', issue: '',
} // prettier-ignore
const proof = (point: number, wrong: string[] = []) => ({
  point, tag: point === 11 ? 'PT-3107' : 'ZV-2', name: '', kind: 'AI', words: 65536, sequences: 48, scans: 160, units: 0.0001, counts: 0.005,
  at_word: 3, unit: 'mbar', quality: 0, differ: 0, aside: 0, faults: [], wrong, says: wrong.length ? '9 words give another value' : '',
}) // prettier-ignore
const proved = (wrong: string[] = []) => (body: { points: number[] }) => ({
  points: body.points.map((p) => proof(p, p === 12 ? wrong : [])),
  mapped: 2, spares: { A: [2, 3, 4] }, wrong: [], digest: 'd1', token: `t${body.points.join()}`,
}) // prettier-ignore

async function page(answers: Record<string, unknown> = {}, rights?: string[]) {
  plantOf(rights)
  const asked = answering({
    'GET /api/program': SCOPES,
    'GET /api/program/text': PROGRAM,
    'POST /api/program/proof': proved(),
    ...answers,
  })
  const box = await mounted(ProgramPage, {}, { at: '/?of=IO_KC_2' })
  await settled()
  await settled()
  return { box, asked }
}
const shown = (box: HTMLElement) => [...box.querySelectorAll('.code .row.on')].map((row) => row.querySelector('.n')!.textContent) // prettier-ignore

test('a point shows its lines, and a line its point', async () => {
  const { box } = await page()
  expect(box.querySelector('.code')!.textContent).toContain('PT_3107 := PT_3107_Line.V;')
  button(box, 'PT-3107')!.click()
  await settled()
  expect(shown(box)).toEqual(['2', '4', '5'])
  expect(box.querySelector('.code .row.here .n')!.textContent).toBe('4')
  expect(box.querySelector('aside .panel')!.textContent).toContain('cut off at 25 characters')
  expect(box.querySelector('aside .panel a')!.getAttribute('href')).toContain('/point/11')
  box.querySelectorAll<HTMLElement>('.code .row')[5]!.click()
  await settled()
  expect(shown(box)).toEqual(['6'])
  button(box, 'next of them')!.click()
  await settled()
  expect(box.querySelector('.code .row.here .n')!.textContent).toBe('6')
})

test('points are proved one after the other, and what is wrong says so at its point', async () => {
  const { box, asked } = await page({ 'POST /api/program/proof': proved(['value']) })
  button(box, 'prove')!.click()
  await settled()
  await settled()
  expect(box.querySelector('[role=status]')!.textContent).toContain('2 of 2 points')
  expect(box.textContent).toContain('■ 1 not as the list says')
  expect(box.textContent).toContain('2 mapped exactly once, 3 spares')
  expect(box.querySelector('td.bad')!.textContent).toContain('9 words give another value')
  expect(asked.filter((one) => one.path.endsWith('/proof')).flatMap((one) => one.body.points)).toEqual([
    11, 12,
  ])
})

test('only who may edit signs, and only what is proved as a whole', async () => {
  const { box } = await page({}, ['look', 'read'])
  button(box, 'prove')!.click()
  await settled()
  await settled()
  expect(box.textContent).toContain('✓ all proved')
  expect(box.querySelector('form.line')).toBeNull()
  cleared()
  const engineer = await page()
  expect(engineer.box.querySelector('form.line')).toBeNull()
  button(engineer.box, 'prove')!.click()
  await settled()
  await settled()
  expect(engineer.box.querySelector('form.line')!.textContent).toContain('sign the proof sheet')
})

test('a list that changes takes the proof of another text away', async () => {
  let digest = 'd1'
  const { box } = await page({ 'GET /api/program/text': () => ({ ...PROGRAM, digest }) })
  button(box, 'prove')!.click()
  await settled()
  await settled()
  expect(box.textContent).toContain('✓ all proved')
  digest = 'd2'
  usePlant().list.apply({ seq: 6, cells: [[11, 'tag', 'PT-3108']] } as never)
  await vi.waitFor(() => expect(box.textContent).not.toContain('✓ all proved'), { timeout: 20_000 })
})

test('what has no code says why, and an empty plant what to do', async () => {
  const { box } = await page()
  expect(box.textContent).toContain('TE-9 has no code: it has no channel yet')
  cleared()
  const empty = await page({ 'GET /api/program': { ...SCOPES, scopes: [] } })
  expect(empty.box.textContent).toContain('place modules')
})

test('a server that refuses is told in its words', async () => {
  const { box } = await page({ 'GET /api/program/text': 'there is no program IO_KC_2' })
  expect(box.querySelector('p.bad')!.textContent).toContain('there is no program IO_KC_2')
})
