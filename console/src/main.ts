import '@fontsource-variable/source-sans-3/wght.css'
import '@fontsource/ibm-plex-mono/400.css'
import '@fontsource/ibm-plex-mono/500.css'
import './theme/base.css'
import { QueryClient, VueQueryPlugin } from '@tanstack/vue-query'
import { createApp } from 'vue'
import { createRouter, createWebHistory } from 'vue-router'
import App from './app/App.vue'
import { Problem } from './shared/api'
import { apply, scheme } from './theme/theme'

const router = createRouter({
  history: createWebHistory(),
  // Another page begins at its top, and going back leads to where one was; a draft gets its number as one types.
  scrollBehavior: (to, from, was) => {
    if (was) return was
    return to.path === from.path || (to.name === 'open' && from.name === 'open') ? false : { top: 0 }
  },
  routes: [
    {
      path: '/',
      alias: '/today',
      name: 'today',
      component: () => import('./today/TodayPage.vue'),
      meta: { title: 'Today', room: 'today' },
    },
    {
      path: '/handover',
      name: 'handover',
      component: () => import('./today/HandoverPage.vue'),
      meta: { title: 'Shift handover', room: 'today' },
    },
    {
      path: '/notifications',
      name: 'notifications',
      component: () => import('./notify/NotificationsPage.vue'),
      meta: { title: 'Notifications' },
    },
    {
      path: '/cases',
      name: 'cases',
      component: () => import('./cases/CasesPage.vue'),
      meta: { title: 'Cases', room: 'cases' },
    },
    {
      path: '/cases/:name',
      name: 'case',
      component: () => import('./cases/CasePage.vue'),
      meta: { title: 'Case', room: 'cases' },
    },
    {
      path: '/cases/:name/escalate',
      name: 'escalate',
      component: () => import('./escalation/EscalatePage.vue'),
      meta: { title: 'Escalate', room: 'cases' },
    },
    {
      path: '/open/:name?',
      name: 'open',
      component: () => import('./cases/OpenPage.vue'),
      meta: { title: 'Open a case' },
    },
    {
      path: '/vendors',
      name: 'vendors',
      component: () => import('./vendors/VendorsPage.vue'),
      meta: { title: 'Vendors', room: 'vendors' },
    },
    {
      path: '/vendors/:key',
      name: 'vendor',
      component: () => import('./vendors/VendorPage.vue'),
      meta: { title: 'Vendor', room: 'vendors' },
    },
    {
      path: '/calendar',
      name: 'agenda',
      component: () => import('./agenda/AgendaPage.vue'),
      meta: { title: 'Calendar', room: 'agenda' },
    },
    { path: '/register', redirect: '/register/assets' },
    {
      path: '/register/:kind(assets|contracts|accounts|products)',
      name: 'register',
      component: () => import('./register/RegisterPage.vue'),
      meta: { title: 'Register', room: 'register' },
    },
    {
      path: '/register/:kind(assets|contracts|accounts|products)/:id(\\d+|new)',
      name: 'thing',
      component: () => import('./register/ThingPage.vue'),
      meta: { title: 'Register', room: 'register' },
    },
    {
      path: '/register/calendars',
      name: 'calendars',
      component: () => import('./hours/CalendarsPage.vue'),
      meta: { title: 'Calendars', room: 'register' },
    },
    {
      path: '/register/calendars/:id(\\d+|new)',
      name: 'calendar',
      component: () => import('./hours/CalendarPage.vue'),
      meta: { title: 'Calendar', room: 'register' },
    },
    {
      path: '/register/policy',
      name: 'policy',
      component: () => import('./hours/PolicyPage.vue'),
      meta: { title: 'Our policy', room: 'register' },
    },
    {
      path: '/register/secrets',
      name: 'secrets',
      component: () => import('./secrets/SecretsPage.vue'),
      meta: { title: 'Secrets', room: 'register' },
    },
    {
      path: '/register/people',
      name: 'people',
      component: () => import('./people/PeoplePage.vue'),
      meta: { title: 'Our people', room: 'register' },
    },
    {
      path: '/register/rota',
      name: 'rota',
      component: () => import('./rota/RotaPage.vue'),
      meta: { title: 'Rota', room: 'register' },
    },
    {
      path: '/register/links',
      name: 'links',
      component: () => import('./links/LinksPage.vue'),
      meta: { title: 'Links', room: 'register' },
    },
    {
      path: '/register/consents',
      name: 'consents',
      component: () => import('./cases/ConsentsPage.vue'),
    },
    {
      path: '/register/outages',
      name: 'outages',
      component: () => import('./outages/OutagesPage.vue'),
      meta: { title: 'Outages', room: 'register' },
    },
    {
      path: '/register/ready',
      name: 'ready',
      component: () => import('./ready/ReadyPage.vue'),
      meta: { title: 'What is not ready', room: 'register' },
    },
    { path: '/find', name: 'find', component: () => import('./register/FindPage.vue'), meta: { title: 'Results' } },
    {
      path: '/:rest(.*)',
      name: 'nowhere',
      component: () => import('./app/NowherePage.vue'),
      meta: { title: 'Page not found' },
    },
  ],
})
router.afterEach((to) => {
  document.title = `${String(to.params.name ?? to.meta.title ?? '')} · Roundhouse`
})

const queries = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: 5_000,
      retry: (n, e) => n < 2 && (!(e instanceof Problem) || e.status >= 500 || e.status === 0),
    },
  },
})

void apply(scheme.value).then(() =>
  createApp(App).use(router).use(VueQueryPlugin, { queryClient: queries }).mount('#app'),
)
