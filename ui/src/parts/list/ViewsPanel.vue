<script setup lang="ts">
/** Views: the one it came with, starters, one's own, the plant's; keeping the present one under a name. */
import { computed, ref } from 'vue'
import { usePlant } from '../../plant/store'
import { useViews } from '../../plant/views'
import PanelHead from './PanelHead.vue'
import DenseField from '../../kit/DenseField.vue'

const props = defineProps<{ find: string }>()
const emit = defineEmits<{ shut: [] }>()
const plant = usePlant()
const views = useViews()
const title = ref('')
const withFind = ref(false)
const own = computed(() => views.saved.filter((view) => !view.plants))
const plants = computed(() => views.saved.filter((view) => view.plants))

async function keep(forAll: boolean) {
  const name = title.value.trim()
  if (!name) return
  views.change({ find: withFind.value ? props.find : '' })
  if (await views.keep(name, forAll)) title.value = ''
}
</script>

<template>
  <PanelHead title="views" @shut="emit('shut')" />
  <v-btn class="card" :class="{ on: !views.name }" @click="views.choose('')">
    as it came <span class="quiet">· {{ views.first.columns.length }} columns</span>
  </v-btn>
  <v-btn
    v-for="view in views.starters"
    :key="view.name"
    class="card"
    :class="{ on: views.name === view.name }"
    @click="views.choose(view.name)"
  >
    {{ view.name }} <span class="quiet">· {{ view.body.columns.length }} columns</span>
  </v-btn>
  <template
    v-for="[head, list] in [
      ['the plant’s', plants],
      ['your own', own],
    ] as const"
    :key="head"
  >
    <h2 v-if="list.length">{{ head }}</h2>
    <div v-for="view in list" :key="view.name" class="card" :class="{ on: views.name === view.name }">
      <v-btn class="opens" @click="views.choose(view.name)">{{ view.name }}</v-btn>
      <v-btn v-if="!view.plants || plant.may('engineer')" class="act" @click="views.drop(view)">
        let go
      </v-btn>
    </div>
  </template>
  <h2>keep this view</h2>
  <form class="side panel" @submit.prevent="keep(false)">
    <p class="small quiet">its columns, widths, order, groups and row height</p>
    <DenseField
      v-model="title"
      maxlength="40"
      placeholder="a name"
      aria-label="name of the view"
      class="name-in"
    />
    <v-checkbox v-if="find" v-model="withFind" class="small" :label="`with what is sought: “${find}”`" />
    <p class="keys">
      <v-btn type="submit" class="act main" :disabled="!title.trim()">for me</v-btn>
      <v-btn v-if="plant.may('engineer')" class="act" :disabled="!title.trim()" @click="keep(true)">
        for everybody
      </v-btn>
    </p>
  </form>
</template>

<style scoped>
.card {
  display: flex;
  align-items: baseline;
  justify-content: space-between;
}

.card .act {
  padding: 0 8px;
}

.name-in {
  width: 100%;
  padding: 3px 8px;
  border: 1px solid rgb(var(--v-theme-duct));
  background: rgb(var(--v-theme-surface));
  color: inherit;
  font: inherit;
}
</style>
