/** What has just happened, told at the foot of the page. */
import { ref } from 'vue'

export interface Notice {
  text: string
  kind: 'plain' | 'bad'
  undo: boolean
}

export type Say = (text: string, kind?: Notice['kind'], more?: { undo?: boolean }) => void

export function useNotices() {
  const notice = ref<Notice | null>(null)

  /** Tell what happened. undo: whether one's last change is that, so that it can be taken back from there. */
  const say: Say = (text, kind = 'plain', { undo = false } = {}) => {
    notice.value = { text, kind, undo }
  }

  return { notice, say }
}
