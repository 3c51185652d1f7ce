<script setup lang="ts">
/** What lies elsewhere: a project that is brought back, held against the list; a text from before, and what is otherwise now. */
import { computed, ref, shallowRef } from 'vue'
import { ask, api, said, type Schemas } from '../../api/client'
import FilePick from '../../kit/FilePick.vue'

const props = defineProps<{ unit: string }>()
const emit = defineEmits<{ choose: [point: number]; renewed: [text: string] }>()
const MOST = 3_000_000
const SHOWN = 200

const busy = ref('')
const says = ref('')
const project = shallowRef<Schemas['ProjectOut'] | null>(null)
const change = shallowRef<Schemas['CodeDifferenceOut'] | null>(null)
const files = ref<string[]>([])
const shown = computed(() => project.value?.findings.slice(0, SHOWN) ?? [])

async function textsOf(event: Event): Promise<{ name: string; text: string }[] | null> {
  const input = event.target as HTMLInputElement
  const some = [...(input.files ?? [])]
  input.value = ''
  const large = some.find((file) => file.size > MOST)
  if (large) {
    says.value = `${large.name} is larger than 3 MB · nothing was read: bring back the units of this plant alone, or use ./canaleta check-code`
    return null
  }
  files.value = some.map((file) => file.name)
  return Promise.all(some.map(async (file) => ({ name: file.name, text: await file.text() })))
}

async function check(event: Event) {
  const some = await textsOf(event)
  if (!some?.length) return
  busy.value = 'comparing…'
  const answer = await ask(api.POST('/api/program/check', { body: { files: some } }))
  busy.value = ''
  says.value = answer.problem ? said(answer.problem) : ''
  project.value = answer.data ?? null
  change.value = null
}

async function differ(event: Event) {
  const some = await textsOf(event)
  if (!some?.length) return
  busy.value = 'comparing…'
  const answer = await ask(
    api.POST('/api/program/difference', { body: { unit: props.unit, text: some[0]!.text } }),
  )
  busy.value = ''
  says.value = answer.problem ? said(answer.problem) : ''
  change.value = answer.data ?? null
  project.value = null
  if (answer.data) emit('renewed', answer.data.text)
}
</script>

<template>
  <section class="panel" aria-label="what lies elsewhere">
    <p class="line">
      <FilePick class="act" multiple accept=".st,.xml,.txt,.scl,.exp" @change="check"
        >check a project that comes back…</FilePick
      >
      <FilePick class="act" accept=".st,.txt" @change="differ"
        >what differs from a text made before…</FilePick
      >
      <span v-if="busy" class="quiet" role="status">{{ busy }}</span>
    </p>
    <p v-if="says" class="bad" role="alert">■ {{ says }}</p>
    <template v-if="project">
      <p role="status">
        <b>{{ files.join(', ') }}</b>: {{ project.units.join(', ') || 'no program of this plant' }};
        <span v-if="project.findings.length" class="settle">▲ {{ project.findings.length }} to settle</span>
        <span v-else>✓ everything is there, called, and as the list has it</span>
      </p>
      <div v-if="shown.length" class="wide">
        <table class="ledger">
          <thead>
            <tr>
              <th>where</th>
              <th class="n">line</th>
              <th>rule</th>
              <th>point</th>
              <th>what</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="(f, k) in shown" :key="k">
              <td class="figure">{{ f.file }}</td>
              <td class="n figure">{{ f.line }}</td>
              <td class="figure">{{ f.rule }}</td>
              <td>
                <v-btn v-if="f.point" class="mini" @click="emit('choose', f.point)">{{ f.tag }}</v-btn>
              </td>
              <td>{{ f.says }}</td>
            </tr>
          </tbody>
        </table>
      </div>
      <p v-if="project.findings.length > SHOWN" class="quiet">
        and {{ project.findings.length - SHOWN }} more: settle these first
      </p>
    </template>
    <template v-if="change">
      <p role="status">
        <b>{{ files[0] }}</b>:
        {{
          change.count
            ? `${change.count} ${change.count === 1 ? 'line is another' : 'lines are others'}, ${change.same} are as they were`
            : 'nothing differs'
        }}; what stood there by hand was taken over
      </p>
      <p v-for="(lines, place) in change.lost" :key="place" class="settle">
        ▲ {{ lines.length }} lines by hand stood at “{{ place }}”, which is no place any more: keep them
        yourself
      </p>
      <pre
        v-if="change.lines.length"
        class="figure diff"
      ><span v-for="(l, k) in change.lines.slice(0, SHOWN)" :key="k" :class="l[0] === '+' ? 'came' : 'went'">{{ l + '\n' }}</span></pre>
    </template>
  </section>
</template>

<style scoped src="../check/desk.css"></style>
<style scoped>
.diff {
  max-height: 220px;
  margin: 0;
  overflow: auto;
  font-size: 12px;
}

.went {
  color: rgb(var(--v-theme-quiet));
  text-decoration: line-through;
}

.came {
  color: rgb(var(--v-theme-copper));
}
</style>
