<script setup lang="ts">
/**
 * What goes wrong on a page stays on it: the frame lives on, the person is told and has a way back. A handler that fails
 * leaves the page as it was; a page that cannot be drawn makes room for what to do.
 */
import { onErrorCaptured, onUnmounted, ref } from 'vue'
import { useRouter } from 'vue-router'
import { usePlant } from '../plant/store'
import { drawing, saysOf } from './faults'

const plant = usePlant()
const router = useRouter()
const wrong = ref('')
/** Where one wanted to go when the page's file had gone from the server: another version stands there by now. */
const wanted = ref('')
const round = ref(0)

onErrorCaptured((error, _, where) => {
  console.error(error)
  if (drawing(where)) wrong.value = saysOf(error)
  else plant.say(`that did not work: ${saysOf(error)} · the page is as it was, what waits is kept`, 'bad')
  return false
})
onUnmounted(
  router.onError((error: unknown, to) => {
    console.error(error)
    wrong.value = saysOf(error)
    wanted.value = to.fullPath
  }),
)
onUnmounted(
  router.afterEach((to, from, failure) => {
    if (!failure && to.path !== from.path) wrong.value = wanted.value = ''
  }),
)

function again() {
  if (wanted.value) return location.assign(wanted.value)
  wrong.value = ''
  round.value++
}
</script>

<template>
  <section v-if="wrong" class="wrong" role="alert">
    <h1>This page could not be shown</h1>
    <p>What you typed is kept: what is saved stands in the list, what waits stands at its cells.</p>
    <p class="figure small quiet">{{ wrong }}</p>
    <p class="ways">
      <v-btn variant="flat" @click="again">{{ wanted ? 'load it anew' : 'try again' }}</v-btn>
      <v-btn variant="text" to="/list" @click="wrong = ''">to the list</v-btn>
    </p>
  </section>
  <router-view v-else :key="round" />
</template>

<style scoped>
.wrong {
  padding: 24px 28px;
  max-width: 64ch;
}

.ways {
  display: flex;
  gap: 8px;
}
</style>
