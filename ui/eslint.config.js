import vueTs from '@vue/eslint-config-typescript'
import vue from 'eslint-plugin-vue'

export default [
  { ignores: ['src/api/schema.d.ts', 'node_modules/**'] },
  ...vue.configs['flat/recommended'],
  ...vueTs(),
  {
    rules: {
      'vue/max-attributes-per-line': 'off',
      'vue/singleline-html-element-content-newline': 'off',
      'vue/html-self-closing': 'off',
      'vue/html-indent': 'off',
      'vue/html-closing-bracket-newline': 'off',
      'vue/multiline-html-element-content-newline': 'off',
    },
  },
  {
    // Real components: what the library has comes from it, and one dense field of ours is for where many stand.
    files: ['src/**/*.vue'],
    ignores: [
      'src/kit/**',
      'src/grid/**',
      // Drawn by us: a module's seats, texts with a gutter.
      'src/parts/cabinet/ModuleCard.vue',
      'src/parts/LongEditor.vue',
      'src/pages/ScriptsPage.vue',
    ],
    rules: {
      'vue/no-restricted-html-elements': [
        'error',
        {
          element: ['button', 'select', 'input', 'textarea', 'dialog'],
          message: 'use the component library, or kit/',
        },
      ],
      'vue/no-restricted-static-attribute': [
        'error',
        { key: 'title', element: '/^([a-z]+|v-btn|v-chip)$/', message: 'v-tip says it' },
      ],
    },
  },
]
