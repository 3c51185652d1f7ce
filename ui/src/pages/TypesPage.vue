<script setup lang="ts">
/** Module types: made from a manual, copied, changed, taken along as JSON. Beside the form, what it would be like. */
import { watchDebounced } from '@vueuse/core'
import { computed, onMounted, ref, shallowRef, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { ask, api, type Schemas } from '../api/client'
import ChangePreview from '../parts/cabinet/ChangePreview.vue'
import TypeForm from '../parts/cabinet/TypeForm.vue'
import TypeTry from '../parts/cabinet/TypeTry.vue'
import TypeSketch from '../parts/cabinet/TypeSketch.vue'
import { blankType, tidied, type TypeBody } from '../parts/cabinet/typeBody'
import { latest } from '../plant/latest'
import { usePlant } from '../plant/store'
import { useHardware } from '../plant/useHardware'
import FilePick from '../kit/FilePick.vue'

const inPlaces = (n: number) => (n === 1 ? 'one place' : `${n} places`)
const plant = usePlant()
const route = useRoute()
const router = useRouter()
const types = shallowRef<Schemas['TypeOut'][]>([])
const body = ref<TypeBody>(blankType())
const origin = shallowRef<Schemas['TypeOut'] | null>(null)
const isNew = ref(false)
const preview = shallowRef<Schemas['TypePreviewOut'] | null>(null)
const asText = ref(false)
const text = ref('')
const wrong = ref('')
const { draft, shown, says, busy, propose, accept, drop } = useHardware(async () => {
  // A key that nobody typed follows from the title.
  const { key } = tidied(body.value)
  await read()
  isNew.value = false
  await router.replace(`/types/${key}`)
  choose(key)
})
const key = computed(() => String(route.params.key ?? ''))
const modesWere = ref<string[]>([])
const changed = computed(
  () =>
    isNew.value ||
    JSON.stringify(tidied(body.value)) !== JSON.stringify(tidied(origin.value?.body as unknown as TypeBody)),
)

async function read() {
  const answer = await ask(api.GET('/api/module-types'))
  types.value = answer.data?.types ?? []
  wrong.value = answer.problem?.title ?? ''
}

function choose(which: string) {
  const found = types.value.find((t) => t.key === which)
  if (!found) {
    if (which)
      wrong.value = `no module type has the key “${which}”: choose one at the side, or type a new one`
    return
  }
  origin.value = found
  isNew.value = false
  body.value = structuredClone(found.body) as unknown as TypeBody
  modesWere.value = body.value.modes.map((m) => m.name)
  text.value = JSON.stringify(found.body, null, 2)
  wrong.value = ''
}

/** A type of one's own, from a blank or from the one that is open. */
function start(from?: TypeBody) {
  origin.value = null
  isNew.value = true
  body.value = from
    ? { ...(JSON.parse(JSON.stringify(tidied(from))) as TypeBody), key: '', title: `${from.title} copy` }
    : blankType()
  modesWere.value = []
  asText.value = false
  wrong.value = ''
}

const look = latest(async () => {
  // Before it has a name it is looked at under one of ours.
  const whole = { title: 'not named yet', key: 'not-named-yet' }
  const shown = body.value.title.trim() ? tidied(body.value) : { ...tidied(body.value), ...whole }
  const answer = await ask(api.POST('/api/module-types/preview', { body: { body: shown as never } }))
  if (answer.data) preview.value = answer.data as Schemas['TypePreviewOut']
})
watchDebounced(body, look, { debounce: 150, deep: true, immediate: true })
watch(key, choose)
watch(asText, (now) => now && (text.value = JSON.stringify(tidied(body.value), null, 2)))

function keep() {
  const renamed = Object.fromEntries(
    modesWere.value.flatMap((was, i) => {
      const now = body.value.modes[i]?.name
      return now && now !== was && !body.value.modes.some((m) => m.name === was) ? [[was, now]] : []
    }),
  )
  const operation = { do: 'put type', body: tidied(body.value), replace: !isNew.value, renamed }
  const where = origin.value?.used ? `, which stands in ${inPlaces(origin.value.used)}` : ''
  void propose({ title: isNew.value ? `the type ${body.value.title}` : `${body.value.title} in another form${where}`, operations: [operation] }) // prettier-ignore
}

function readText() {
  try {
    body.value = JSON.parse(text.value) as TypeBody
    wrong.value = ''
  } catch (error) {
    wrong.value = `this is not JSON: ${(error as Error).message}. what was typed is kept`
  }
}

async function bring(event: Event) {
  const input = event.target as HTMLInputElement
  const file = input.files?.[0]
  if (!file) return
  start()
  asText.value = true
  text.value = await file.text()
  readText()
  // The same file may be chosen again.
  input.value = ''
}

function take() {
  const link = document.createElement('a')
  link.href = URL.createObjectURL(new Blob([JSON.stringify(tidied(body.value), null, 2)], { type: 'application/json' })) // prettier-ignore
  link.download = `${body.value.key || 'module-type'}.json`
  link.click()
  URL.revokeObjectURL(link.href)
}

onMounted(async () => {
  // A blank form is there at once, and what is typed into it stays when the types come.
  if (!key.value) start()
  await read()
  if (key.value) choose(key.value)
})
</script>

<template>
  <section class="types">
    <aside class="column">
      <h2>module types</h2>
      <v-btn v-if="plant.may('engineer')" class="act main" @click="start()">
        a new one from its manual
      </v-btn>
      <router-link
        v-for="t in types"
        :key="t.key"
        class="card"
        :class="{ on: t.key === origin?.key }"
        :to="`/types/${t.key}`"
      >
        <b>{{ t.title }}</b>
        <span class="quiet small">{{
          t.used ? `in ${inPlaces(t.used)}` : t.in_plant ? 'not in a rack' : 'catalogue'
        }}</span>
        <span class="quiet small summary">{{ t.summary }}</span>
      </router-link>
    </aside>
    <div class="work">
      <header>
        <h1>{{ isNew ? 'a new module type' : body.title }}</h1>
        <v-btn class="act" @click="asText = !asText">
          {{ asText ? 'as a form' : 'as JSON' }}
        </v-btn>
        <v-btn class="act" @click="take">export</v-btn>
        <FilePick v-if="plant.may('engineer')" class="act" accept=".json,application/json" @change="bring"
          >import</FilePick
        >
        <v-btn v-if="!isNew && plant.may('engineer')" class="act" @click="start(body)"> copy it </v-btn>
      </header>
      <p v-if="wrong" class="bad" role="alert">■ {{ wrong }}</p>
      <template v-if="asText">
        <v-textarea
          v-model="text"
          class="figure"
          spellcheck="false"
          aria-label="the type as JSON"
          @change="readText"
        ></v-textarea>
        <p class="quiet small">its schema: /api/module-types/schema</p>
      </template>
      <TypeForm v-else v-model="body" :fixed-key="!isNew" />
    </div>
    <aside class="column right">
      <ChangePreview
        v-if="draft"
        :title="draft.title"
        :shown="shown"
        :says="says"
        :busy="busy"
        @accept="accept"
        @drop="drop"
      />
      <template v-else>
        <p v-if="plant.may('engineer')" class="keys">
          <v-btn class="act main" :disabled="!changed || !!preview?.says || !body.title.trim()" @click="keep">
            {{ isNew ? 'keep this type' : 'change the type' }}
          </v-btn>
        </p>
        <p v-if="!body.title.trim()" class="settle small">▲ it needs a title before it can be kept</p>
        <TypeSketch :preview="preview" :title="body.title" />
        <TypeTry v-if="plant.may('engineer') && !preview?.says" v-model="body" />
      </template>
    </aside>
  </section>
</template>

<style scoped>
.bad {
  color: rgb(var(--v-theme-bad));
}

.types {
  display: grid;
  grid-template-columns: 210px minmax(0, 1fr) 330px;
  height: 100%;
}

@media (max-width: 760px) {
  .types {
    display: flex;
    flex-direction: column;
    overflow: auto;
  }

  .types > * {
    flex: none;
  }

  .types > .column:first-child {
    order: 3;
  }

  .types header {
    flex-wrap: wrap;
  }
}

h1 {
  flex: 1;
  margin: 0;
  font-size: 17px;
}

header {
  display: flex;
  gap: 6px;
  align-items: center;
  margin-bottom: 8px;
}

.card b {
  margin-right: 6px;
}

.summary {
  display: block;
}

.work {
  padding: 12px 16px;
  overflow: auto;
}

textarea {
  width: 100%;
  height: calc(100vh - 190px);
  border: 1px solid rgb(var(--v-theme-line));
  background: rgb(var(--v-theme-surface));
  color: inherit;
  font-size: 12px;
}
</style>
