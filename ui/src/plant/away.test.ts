import { expect, test } from 'vitest'
import { pageWith, partsOf, readResults, type Results } from './away'

const all = (results: number, long = 10): Results => ({
  plant: 'Vallroja',
  package: 'kiln 2',
  results: Array.from({ length: results }, (_, k) => ({ key: `k${k}`, note: 'x'.repeat(long) })) as never,
  punches: [{ key: 'p' }] as never,
  marks: [],
})

test('a package in its page ends no script of it, whatever its texts are', () => {
  const page = pageWith('<script id="package">/*package*/</script>', { tag: '</script><b>$&' })
  expect(page.match(/<\/script>/g)).toHaveLength(1)
  expect(page).toContain('\\u003c/script>\\u003cb>$&')
})

test('results go in parts that a request can carry, each of them once', () => {
  const parts = partsOf(all(45))
  expect(parts.map((p) => p.results.length)).toEqual([20, 20, 5])
  expect(parts.at(-1)!.punches).toHaveLength(1)
  expect(parts.every((p) => p.package === 'kiln 2' && p.plant === 'Vallroja')).toBe(true)
  expect(partsOf(all(4, 4_000_000)).map((p) => p.results.length)).toEqual([1, 1, 1, 1])
})

test('what is no file of results is told', () => {
  expect(() => readResults('<html>')).toThrow('it cannot be read')
  expect(() => readResults('{"format":"canaleta away"}')).toThrow('not its results')
  expect(() => readResults('{"format":"other","version":1}')).toThrow('no file of results')
  expect(readResults('{"format":"canaleta away results","version":1,"package":"a"}').results).toEqual([])
})
