<script setup lang="ts">
/** What was found, in a list that the keys of a field beside it move in. */
import { computed, ref, watch, type ComponentPublicInstance } from 'vue'
import { useRouter } from 'vue-router'
import type { Hit } from './seek'

const props = defineProps<{ hits: readonly Hit[] }>()
const emit = defineEmits<{ picked: [] }>()
const router = useRouter()
const KINDS: Record<Hit['kind'], string> = { point: 'points', do: 'on this page', page: 'places', finding: 'findings', module: 'modules', cable: 'cables' } // prettier-ignore
const marked = ref(0)
const box = ref<ComponentPublicInstance | null>(null)
watch(
  () => props.hits,
  () => (marked.value = 0),
)
const heads = computed(() =>
  props.hits.map((hit, k) => (hit.kind === props.hits[k - 1]?.kind ? '' : KINDS[hit.kind])),
)

function pick(hit: Hit | undefined) {
  if (!hit) return
  emit('picked')
  if (hit.to) void router.push(hit.to)
  else hit.run?.()
}

/** Keys of the field: whether one was ours. */
function key(event: KeyboardEvent): boolean {
  const step = { ArrowDown: 1, ArrowUp: -1 }[event.key]
  if (step) marked.value = (marked.value + step + props.hits.length) % Math.max(1, props.hits.length)
  else if (event.key === 'Enter') pick(props.hits[marked.value])
  else return false
  event.preventDefault()
  const options = (box.value?.$el as HTMLElement | undefined)?.querySelectorAll('[role=option]')
  options?.[marked.value]?.scrollIntoView({ block: 'nearest' })
  return true
}
defineExpose({ key, marked })
</script>

<template>
  <!-- The hand stays in the field: what the arrows come to is said. -->
  <p class="unseen" role="status">
    {{
      hits[marked]
        ? `${hits[marked]!.says} ${hits[marked]!.more}, ${marked + 1} of ${hits.length}`
        : 'nothing found'
    }}
  </p>
  <v-list ref="box" class="hits" role="listbox" aria-label="what was found">
    <template v-for="(hit, k) in hits" :key="`${hit.kind} ${hit.says} ${hit.to ?? ''}`">
      <v-list-subheader v-if="heads[k]" role="presentation">{{ heads[k] }}</v-list-subheader>
      <v-list-item
        role="option"
        tabindex="-1"
        :active="k === marked"
        :aria-selected="k === marked"
        @mousedown.prevent="pick(hit)"
      >
        <span :class="{ figure: hit.kind === 'point' }">{{ hit.says }}</span>
        <span class="quiet small"> {{ hit.more }}</span>
        <template v-if="hit.keys" #append
          ><kbd class="small">{{ hit.keys }}</kbd></template
        >
      </v-list-item>
    </template>
    <v-list-item v-if="!hits.length" class="quiet" role="presentation"
      >nothing is called so: words of a tag, a service, a page, a rule, a cable</v-list-item
    >
  </v-list>
</template>

<style scoped>
.hits {
  max-height: min(60vh, 480px);
  overflow: auto;
}

.hits :deep(.v-list-subheader) {
  min-height: 22px;
  padding: 4px 10px 0 !important;
  font-size: 11px;
}

kbd {
  padding: 0 5px;
  border: 1px solid rgb(var(--v-theme-line));
  border-radius: 3px;
  font-family: var(--mono);
}
</style>
