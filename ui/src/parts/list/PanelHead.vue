<script setup lang="ts">
/** The head of a panel beside the list: what it is, and the way out. */
defineProps<{ title: string }>()
const emit = defineEmits<{ shut: [] }>()
</script>

<template>
  <h2 class="head">
    {{ title }}
    <v-btn v-tip="'Esc'" class="act" @click="emit('shut')">close</v-btn>
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
