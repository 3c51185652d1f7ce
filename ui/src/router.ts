/** Every place has an address that can be sent to a colleague. */
import { createRouter, createWebHistory } from 'vue-router'
import ListPage from './pages/ListPage.vue'

export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: '/', redirect: '/list' },
    { path: '/list', name: 'list', component: ListPage },
    { path: '/point/:point(\\d+)', name: 'path', component: () => import('./pages/PathPage.vue') },
    { path: '/point/:point(\\d+)/wiring', name: 'wiring', component: () => import('./pages/WiringPage.vue') },
    { path: '/live', name: 'live', component: () => import('./pages/LivePage.vue') },
    { path: '/now/:point(\\d+)', name: 'now', component: () => import('./pages/NowPage.vue') },
    { path: '/alarms', name: 'alarms', component: () => import('./pages/AlarmsPage.vue') },
    { path: '/temporary', name: 'temporary', component: () => import('./pages/TemporaryPage.vue') },
    { path: '/scripts', name: 'scripts', component: () => import('./pages/ScriptsPage.vue') },
    { path: '/learn', name: 'learn', component: () => import('./pages/LearnPage.vue') },
    { path: '/checkout', name: 'checkout', component: () => import('./pages/CheckoutPage.vue') },
    { path: '/progress', name: 'progress', component: () => import('./pages/ProgressPage.vue') },
    { path: '/packages', name: 'packages', component: () => import('./pages/PackagesPage.vue') },
    { path: '/punches', name: 'punches', component: () => import('./pages/PunchesPage.vue') },
    { path: '/records', name: 'records', component: () => import('./pages/RecordsPage.vue') },
    { path: '/check/:point(\\d+)', name: 'check', component: () => import('./pages/CheckPage.vue') },
    { path: '/trim/:point(\\d+)', name: 'trim', component: () => import('./pages/TrimPage.vue') },
    { path: '/registers', name: 'registers', component: () => import('./pages/RegistersPage.vue') },
    { path: '/served', name: 'served', component: () => import('./pages/ServedPage.vue') },
    { path: '/running', name: 'running', component: () => import('./pages/RunningPage.vue') },
    { path: '/finder', name: 'finder', component: () => import('./pages/FinderPage.vue') },
    { path: '/history', name: 'history', component: () => import('./pages/HistoryPage.vue') },
    { path: '/cabinets', name: 'cabinets', component: () => import('./pages/CabinetsPage.vue') },
    { path: '/types/:key?', name: 'types', component: () => import('./pages/TypesPage.vue') },
    { path: '/cables', name: 'cables', component: () => import('./pages/CablesPage.vue') },
    { path: '/findings', name: 'findings', component: () => import('./pages/FindingsPage.vue') },
    { path: '/import', name: 'import', component: () => import('./pages/ImportPage.vue') },
    { path: '/revisions', name: 'revisions', component: () => import('./pages/RevisionsPage.vue') },
    { path: '/program', name: 'program', component: () => import('./pages/ProgramPage.vue') },
    { path: '/handover', name: 'handover', component: () => import('./pages/HandoverPage.vue') },
    {
      path: '/conventions',
      name: 'conventions',
      component: () => import('./pages/ConventionsPage.vue'),
    },
    { path: '/guide', name: 'guide', component: () => import('./pages/GuidePage.vue') },
    { path: '/account', name: 'account', component: () => import('./pages/AccountPage.vue') },
    // The one-time token behind # is used up: it does not stay in the address.
    { path: '/enter', redirect: () => ({ path: '/list', hash: '' }) },
    { path: '/:lost(.*)*', redirect: '/list' },
  ],
})
