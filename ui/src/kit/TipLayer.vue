<script setup lang="ts">
/** The one tooltip of the page: shows what lies on whatever is pointed at or focused (`v-tip`). Esc takes it away. */
import { ref, shallowRef } from 'vue'
import { useEventListener, useTimeoutFn } from '@vueuse/core'

const WAITS_MS = 450
const target = shallowRef<HTMLElement>()
const text = ref('')
const open = ref(false)

const wait = useTimeoutFn(
  () => {
    text.value = target.value?.isConnected ? (target.value.dataset.tip ?? '') : ''
    open.value = text.value !== ''
  },
  WAITS_MS,
  { immediate: false },
)

function over(event: Event) {
  const next = (event.target as Element | null)?.closest?.<HTMLElement>('[data-tip]') ?? undefined
  if (next === target.value) return
  open.value = false
  target.value = next
  if (next) wait.start()
  else wait.stop()
}

function away() {
  open.value = false
  wait.stop()
  target.value = undefined
}

useEventListener('pointerover', over, { passive: true })
useEventListener('focusin', (event: FocusEvent) => {
  // A click focuses as well, and then the pointer has said it.
  if ((event.target as Element).matches(':focus-visible')) over(event)
})
useEventListener('pointerdown', away, { passive: true })
useEventListener('keydown', (event: KeyboardEvent) => event.key === 'Escape' && away())
useEventListener('scroll', away, { passive: true, capture: true })
</script>

<template>
  <v-tooltip
    v-if="target"
    :key="text"
    :model-value="open"
    :target="target"
    :text="text"
    :open-on-hover="false"
    location="bottom"
    max-width="420"
  />
</template>
