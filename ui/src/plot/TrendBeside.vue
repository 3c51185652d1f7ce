<script setup lang="ts">
/** Reads the trend of one more point for a plot that shows several; shows nothing itself. */
import { watch } from 'vue'
import type { Sample } from '../plant/trending'
import { useTrend } from './useTrend'

const props = defineProps<{ point: number; seconds: number; columns: number }>()
const emit = defineEmits<{
  read: [{ samples: Sample[]; form: { unit: string; decimals: number; contact: boolean } }]
}>()
const { samples, form } = useTrend({
  point: () => props.point,
  seconds: () => props.seconds,
  columns: () => props.columns,
})
watch([samples, form], () => emit('read', { samples: samples.value, form: form.value }), { immediate: true })
</script>

<template><span hidden /></template>
