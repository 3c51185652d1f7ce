/** How the library's components look and behave here, said once. */
const field = { variant: 'outlined', density: 'compact', color: 'primary', hideDetails: 'auto' } as const
/** What comes over the page comes at once: nobody waits for a picture to glide. */
const overlay = { transition: false } as const
const menu = { menuProps: overlay, listProps: { density: 'compact' } } as const

export const defaults = {
  global: { ripple: false, rounded: 'sm', elevation: 0 },
  VBtn: { variant: 'plain' },
  VTextField: field,
  VTextarea: field,
  VSelect: { ...field, ...menu },
  VAutocomplete: { ...field, ...menu },
  VCheckbox: { density: 'compact', hideDetails: true, color: 'primary' },
  VCheckboxBtn: { density: 'compact', color: 'primary' },
  VRadio: { density: 'compact', color: 'primary' },
  VSlider: { density: 'compact', hideDetails: true, color: 'primary', trackSize: 4, thumbSize: 16 },
  VMenu: overlay,
  VDialog: overlay,
  VTooltip: { ...overlay, openDelay: 400 },
  VList: { density: 'compact' },
  VTabs: { density: 'compact', color: 'primary', height: 32 },
} as const
