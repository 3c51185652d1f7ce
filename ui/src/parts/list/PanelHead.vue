<script setup lang="ts">
/** The head of a panel beside the list: what it is, and the way out. */
defineProps<{ title: string }>()
const emit = defineEmits<{ shut: [] }>()
</script>

<template>
  <h2 class="head">
    {{ title }}
    <button type="button" class="act" title="Esc" @click="emit('shut')">close</button>
  </h2>
</template>

<style scoped>
.head {
  display: flex;
  align-items: baseline;
  justify-content: space-between;
}

.act {
  padding: 0 8px;
  font-size: 12px;
}
</style>
