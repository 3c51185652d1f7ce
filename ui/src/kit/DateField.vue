<script setup lang="ts">
/**
 * A day, typed as 2027-03-15 or 2027-03 for a month's end, or chosen from a calendar. What is typed stays text: whoever
 * reads it knows what a month means.
 *
 *     <DateField v-model="due" aria-label="due" placeholder="2027-03" />
 */
import { mdiCalendarOutline } from '@mdi/js'
import { computed, ref } from 'vue'
import DenseField from './DenseField.vue'

defineOptions({ inheritAttrs: false })
const model = defineModel<string>({ required: true })
const open = ref(false)
const DAY = /^(\d{4})-(\d{2})(?:-(\d{2}))?$/

const two = (n: number) => String(n).padStart(2, '0')
/** In the days of whoever looks at it: no clock moves it to the one before. */
const day = computed<Date | null>({
  get() {
    const found = DAY.exec(model.value.trim())
    if (!found) return null
    const [year, month] = [Number(found[1]), Number(found[2])]
    const made = found[3] ? new Date(year, month - 1, Number(found[3])) : new Date(year, month, 0)
    // The thirtieth of February is no day, and not the second of March either.
    return made.getMonth() === month - 1 ? made : null
  },
  set(to) {
    if (to) model.value = `${to.getFullYear()}-${two(to.getMonth() + 1)}-${two(to.getDate())}`
    open.value = false
  },
})
</script>

<template>
  <span class="date">
    <DenseField v-model="model" v-bind="$attrs" />
    <v-menu v-model="open" :close-on-content-click="false">
      <template #activator="{ props: opens }">
        <v-btn class="mini" v-bind="opens" aria-label="choose the day"
          ><v-icon :icon="mdiCalendarOutline" size="16"
        /></v-btn>
      </template>
      <v-date-picker v-model="day" class="figure" hide-header show-adjacent-months :first-day-of-week="1" />
    </v-menu>
  </span>
</template>

<style scoped>
.date {
  display: flex;
  gap: 2px;
  align-items: center;
}

.date :deep(input) {
  flex: 1;
  min-width: 0;
}
</style>
