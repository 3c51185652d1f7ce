<script setup lang="ts">
/** One point alone, large: for a phone at the terminals. */
import { computed } from 'vue'
import { useRoute } from 'vue-router'
import PointNow from '../parts/live/PointNow.vue'
import { usePlant } from '../plant/store'

const plant = usePlant()
const route = useRoute()
const point = computed(() => Number(route.params.point))
const known = computed(() => (void plant.list.version, plant.list.row(point.value) !== undefined))
</script>

<template>
  <section class="alone">
    <PointNow v-if="known" :key="point" :point="point" page />
    <p v-else class="none">
      this point is not on the list · <router-link to="/live">back to the board</router-link>
    </p>
  </section>
</template>

<style scoped>
.alone {
  height: 100%;
  overflow: auto;
}

.none {
  padding: 30px;
}
</style>
