<script setup lang="ts">
/** What just happened, at the foot of the page, with the way back where there is one; it leaves by itself. */
import { computed, ref, watch } from 'vue'
import { usePlant } from '../plant/store'

const plant = usePlant()
const SHORT_MS = 4000
/** What went wrong, or can be taken back, stands long enough to be read and acted on. */
const LONG_MS = 12_000
// It keeps its words while it leaves.
const shown = ref(plant.notice)
const open = computed({
  get: () => plant.notice !== null,
  set: (on) => !on && (plant.notice = null),
})
const lasts = computed(() => (shown.value?.kind === 'bad' || shown.value?.undo ? LONG_MS : SHORT_MS))
watch(
  () => plant.notice,
  (notice) => notice && (shown.value = notice),
  { immediate: true },
)

function undo() {
  plant.notice = null
  void plant.turnBack('undo')
}
</script>

<template>
  <v-snackbar
    v-if="shown"
    v-model="open"
    class="notice"
    :class="shown.kind"
    :timeout="lasts"
    location="bottom right"
  >
    <span v-if="shown.kind === 'bad'" aria-hidden="true">■</span> {{ shown.text }}
    <template #actions>
      <v-btn v-if="shown.undo" v-tip="'Ctrl+Z'" class="act" @click="undo">undo</v-btn>
      <v-btn class="mini" aria-label="close" @click="plant.notice = null">✕</v-btn>
    </template>
  </v-snackbar>
</template>

<style>
/* Above the strip at the foot of the list: what is said there is often about the cell it explains. */
.notice .v-snackbar__wrapper {
  min-width: 0;
  max-width: 620px;
  min-height: 36px;
  margin-bottom: 124px;
  border: 1px solid rgb(var(--v-theme-duct));
  background: rgb(var(--v-theme-surface));
  color: rgb(var(--v-theme-ink));
  box-shadow: 0 2px 10px rgb(0 0 0 / 25%);
}

.notice .v-snackbar__content {
  padding: 7px 12px;
  font-size: 13px;
}

.notice .v-snackbar__actions {
  gap: 6px;
  margin-inline-end: 8px;
}

.notice.bad .v-snackbar__wrapper {
  border-color: rgb(var(--v-theme-bad));
  color: rgb(var(--v-theme-bad));
}
</style>
