<script setup lang="ts">
/** Results that were read away come back: looked at first, then signed one by one; what cannot be signed waits here. */
import { computed, onMounted, ref, shallowRef } from 'vue'
import { ask, api, said } from '../../api/client'
import DenseField from '../../kit/DenseField.vue'
import FilePick from '../../kit/FilePick.vue'
import { partsOf, readResults, type Brought, type Results } from '../../plant/away'
import { usePlant } from '../../plant/store'

const emit = defineEmits<{ brought: [] }>()
const plant = usePlant()
const file = shallowRef<Results | null>(null)
const told = shallowRef<Brought[]>([])
const waiting = shallowRef<Brought[]>([])
const password = ref('')
const says = ref('')
const done = ref(0)
const busy = ref(false)
const at = ref('')
const why = ref('')
const SIGNS: Record<string, string> = { fresh: '○', signed: '✓', again: '◦', waits: '▲' }
const fresh = computed(() => told.value.filter((x) => x.state === 'fresh').length)

async function loadWaiting() {
  const answer = await ask(api.GET('/api/away/waiting'))
  if (answer.data) waiting.value = answer.data.results
}
onMounted(loadWaiting)

async function choose(event: Event) {
  const input = event.target as HTMLInputElement
  const chosen = input.files?.[0]
  if (!chosen) return
  // The same file may be chosen once more.
  input.value = ''
  told.value = []
  file.value = null
  try {
    file.value = readResults(await chosen.text())
  } catch (error) {
    return (says.value = `“${chosen.name}”: ${(error as Error).message}`)
  }
  says.value = ''
  await each(async (part) => await ask(api.POST('/api/away/look', { body: part })))
}

async function bring() {
  const proof = { password: password.value }
  password.value = ''
  const whole = await each(
    async (part) => await ask(api.POST('/api/away/bring', { body: { ...part, ...proof } })),
  )
  if (whole) file.value = null
  await loadWaiting()
  emit('brought')
}

type Asked = Awaited<ReturnType<typeof ask<{ results: Brought[] }>>>
/** Part by part, so that what was taken stays taken when the line breaks: the rest is brought again. */
async function each(does: (part: Results) => Promise<Asked>): Promise<boolean> {
  const parts = partsOf(file.value!)
  busy.value = true
  const out: Brought[] = []
  let whole = true
  for (const [k, part] of parts.entries()) {
    done.value = k / parts.length
    const answer = await does(part)
    if (answer.problem) {
      says.value = `${said(answer.problem)} · ${out.length} of ${told.value.length || '?'} were taken: bring the file again`
      whole = false
      break
    }
    out.push(...answer.data.results)
  }
  busy.value = false
  told.value = whole ? out : [...out, ...told.value.slice(out.length)]
  return whole
}

async function settle(one: Brought, way: 'sign' | 'aside') {
  const path = { params: { path: { key: one.key } } }
  const answer =
    way === 'sign'
      ? await ask(api.POST('/api/away/waiting/{key}/sign', { ...path, body: { password: password.value, doubts_seen: one.code === 'doubt', inhibited: one.code === 'trips' } }))
      : await ask(api.POST('/api/away/waiting/{key}/aside', { ...path, body: { why: why.value } })) // prettier-ignore
  password.value = ''
  if (answer.problem) return (says.value = said(answer.problem))
  says.value = at.value = why.value = ''
  await loadWaiting()
  emit('brought')
}
</script>

<template>
  <section v-if="plant.may('edit') || waiting.length" class="panel">
    <h2>bring results back</h2>
    <p v-if="says" class="bad" role="status">■ {{ says }}</p>
    <div v-if="plant.may('edit')" class="line">
      <FilePick class="act" accept="application/json,.json" aria-label="file of results" @change="choose"
        >choose the file…</FilePick
      >
      <span v-if="busy" role="status">{{ Math.round(100 * done) }} %</span>
      <form v-if="file && told.length" class="line" @submit.prevent="bring">
        <DenseField
          v-model="password"
          type="password"
          placeholder="your password once more"
          aria-label="your password once more"
          maxlength="200"
          autocomplete="current-password"
          required
        />
        <v-btn class="act main" type="submit" :disabled="busy">{{
          `bring ${told.length} back, ${fresh} of them are signed`
        }}</v-btn>
      </form>
    </div>
    <div v-if="told.length" class="wide">
      <table class="ledger">
        <tbody>
          <tr v-for="x in told" :key="x.key">
            <td>{{ SIGNS[x.state] ?? '■' }} {{ x.state }}</td>
            <td class="figure">{{ x.tag || 'gone' }}</td>
            <td>{{ x.what }}</td>
            <td>{{ x.tester }}, {{ x.read_at.slice(0, 16).replace('T', ' ') }}</td>
            <td :class="{ settle: x.state === 'waits' }">
              {{ [x.says, x.verdict, x.since].filter(Boolean).join(' · ') }}
            </td>
          </tr>
        </tbody>
      </table>
    </div>
    <template v-if="waiting.length">
      <h2>{{ waiting.length }} wait for somebody to look</h2>
      <div class="wide">
        <table class="ledger">
          <tbody>
            <tr v-for="x in waiting" :key="x.key">
              <td class="figure">
                <router-link :to="`/check/${x.point}`">{{ x.tag || 'gone' }}</router-link>
              </td>
              <td>{{ x.tester }}, {{ x.read_at.slice(0, 16).replace('T', ' ') }}</td>
              <td class="settle">▲ {{ x.says }}</td>
              <td>{{ x.verdict }}</td>
              <td>
                <form v-if="at === x.key" class="line" @submit.prevent="settle(x, 'sign')">
                  <DenseField
                    v-model="password"
                    type="password"
                    placeholder="your password once more"
                    aria-label="password for what waited"
                    maxlength="200"
                    autocomplete="current-password"
                  />
                  <v-btn class="act main" type="submit" :disabled="!password">{{
                    x.code === 'doubt'
                      ? 'it was read so: sign'
                      : x.code === 'trips'
                        ? 'it was inhibited: sign'
                        : 'sign it now'
                  }}</v-btn>
                  <DenseField
                    v-model="why"
                    size="18"
                    placeholder="or why it is laid aside"
                    aria-label="why it is laid aside"
                    maxlength="400"
                  />
                  <v-btn class="act" :disabled="!why.trim()" @click="settle(x, 'aside')">lay it aside</v-btn>
                </form>
                <v-btn v-else-if="plant.may('edit')" class="act" @click="((at = x.key), (why = ''))"
                  >settle…</v-btn
                >
              </td>
            </tr>
          </tbody>
        </table>
      </div>
    </template>
  </section>
</template>

<style scoped src="./desk.css"></style>
