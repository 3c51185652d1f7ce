<script setup lang="ts">
/** One line at the foot of the page that says what just happened; it leaves by itself unless it is bad. */
import { watch } from 'vue'
import { usePlant } from '../plant/store'

const plant = usePlant()
let timer: ReturnType<typeof setTimeout> | undefined

watch(
  () => plant.notice,
  (notice) => {
    clearTimeout(timer)
    if (notice) timer = setTimeout(() => (plant.notice = null), notice.kind === 'bad' ? 12_000 : 4000)
  },
)
</script>

<template>
  <div class="notice" role="status" aria-live="polite">
    <p v-if="plant.notice" :class="['panel', plant.notice.kind]">
      <span v-if="plant.notice.kind === 'bad'" aria-hidden="true">■</span> {{ plant.notice.text }}
      <v-btn aria-label="close" @click="plant.notice = null">✕</v-btn>
    </p>
  </div>
</template>

<style scoped>
.notice {
  position: fixed;
  right: 16px;
  bottom: 132px;
  z-index: 20;
  max-width: 620px;
}

p {
  margin: 0;
  padding: 8px 10px;
  box-shadow: 0 2px 10px rgb(0 0 0 / 25%);
}

p.bad {
  border-color: rgb(var(--v-theme-bad));
  color: rgb(var(--v-theme-bad));
}

button {
  margin-left: 10px;
  border: 0;
  background: none;
  color: inherit;
  cursor: pointer;
}
</style>
