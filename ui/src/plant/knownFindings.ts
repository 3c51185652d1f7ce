/** The plant's findings as this screen knows them: read once, then carried on by change sets. */
import { computed, shallowRef } from 'vue'
import type { Change, Finding } from './columns'
import { accepted, byCost } from './findings'

export function useFindings() {
  const findings = shallowRef<ReadonlyMap<string, Finding>>(new Map())
  // The list may be older than the findings; what came before them is replayed for the cells alone.
  let seq = 0

  function read(all: readonly Finding[], at: number) {
    findings.value = new Map(all.map((f) => [f.key, f]))
    seq = at
  }

  /** Take in what a change set closed and opened, unless the findings were read after it. */
  function settle(change: Change) {
    if (change.seq <= seq) return
    seq = change.seq
    if (!change.closed.length && !change.opened.length) return
    const next = new Map(findings.value)
    for (const gone of change.closed) next.delete(gone)
    for (const finding of change.opened) next.set(finding.key, finding)
    findings.value = next
  }

  const ofPoints = (wanted: (finding: Finding) => boolean) => {
    const out = new Map<number, Finding[]>()
    for (const finding of findings.value.values()) {
      if (!wanted(finding)) continue
      for (const point of new Set(finding.cells.map((cell) => cell.point))) {
        const known = out.get(point)
        if (known) known.push(finding)
        else out.set(point, [finding])
      }
    }
    for (const some of out.values()) some.sort((a, b) => byCost(a.severity, b.severity))
    return out
  }
  /** What is open, by point, the worst first; and what was accepted. */
  const findingsOf = computed(() => ofPoints((finding) => !accepted(finding)))
  const acceptedOf = computed(() => ofPoints(accepted))

  return { findings, findingsOf, acceptedOf, read, settle, seq: () => seq }
}
