import { watchDebounced } from '@vueuse/core'
import { defineComponent, h, ref } from 'vue'
import { afterEach, expect, test } from 'vitest'
import { api } from '../api/client'
import { answering, cleared, mounted, settled } from './mounted'

afterEach(cleared)

const typed = ref('')
const Looks = defineComponent(() => {
  watchDebounced(typed, () => void api.GET('/api/tag-letters', {} as never), { debounce: 30 })
  return () => h('p', typed.value)
})

test('what a page put off ends with its test, and is not counted in the one that comes next', async () => {
  answering({})
  await mounted(Looks)
  typed.value = 'PT'
  await settled()
  cleared()
  const next = answering({})
  await new Promise((gone) => setTimeout(gone, 60))
  expect(next).toEqual([])
})
