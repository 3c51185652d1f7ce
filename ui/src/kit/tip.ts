/**
 * What is said on hover and on focus. The words lie on the element; one tooltip of the page shows them (TipLayer.vue), so
 * that a thousand cells cost no thousand tooltips. A reader hears them as the element's description.
 *
 *     <v-btn v-tip="'drag for the width'">
 */
import type { Directive } from 'vue'

const put = (element: HTMLElement, text: unknown) => {
  const says = typeof text === 'string' ? text : ''
  if (says === (element.dataset.tip ?? '')) return
  if (says) {
    element.dataset.tip = says
    element.setAttribute('aria-description', says)
  } else {
    delete element.dataset.tip
    element.removeAttribute('aria-description')
  }
}

export const tip: Directive<HTMLElement, unknown> = {
  mounted: (element, { value }) => put(element, value),
  updated: (element, { value }) => put(element, value),
}
