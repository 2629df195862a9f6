import '@fontsource-variable/source-sans-3/wght.css'
import '@fontsource/ibm-plex-mono/400.css'
import '@fontsource/ibm-plex-mono/500.css'
import './theme/base.css'
import { QueryClient, VueQueryPlugin } from '@tanstack/vue-query'
import { createApp } from 'vue'
import { createRouter, createWebHistory } from 'vue-router'
import App from './App.vue'
import { Problem } from './data/api'
import { apply, scheme } from './theme/theme'

const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: '/', alias: '/today', name: 'today', component: () => import('./pages/TodayPage.vue'), meta: { title: 'Today' } },
    { path: '/cases', name: 'cases', component: () => import('./pages/CasesPage.vue'), meta: { title: 'Cases' } },
    { path: '/cases/:name', name: 'case', component: () => import('./pages/CasePage.vue'), meta: { title: 'Case' } },
    { path: '/open/:name?', name: 'open', component: () => import('./pages/OpenPage.vue'), meta: { title: 'Open a case' } },
    { path: '/vendors', name: 'vendors', component: () => import('./pages/VendorsPage.vue'), meta: { title: 'Vendors' } },
    { path: '/vendors/:key', name: 'vendor', component: () => import('./pages/VendorPage.vue'), meta: { title: 'Vendor' } },
    { path: '/register', redirect: '/register/assets' },
    { path: '/register/:kind(assets|contracts|accounts|products)', name: 'register', component: () => import('./pages/RegisterPage.vue'), meta: { title: 'Register' } },
    { path: '/register/:kind(assets|contracts|accounts|products)/:id(\\d+|new)', name: 'thing', component: () => import('./pages/ThingPage.vue'), meta: { title: 'Register' } },
    { path: '/register/calendars', name: 'calendars', component: () => import('./pages/CalendarsPage.vue'), meta: { title: 'Calendars' } },
    { path: '/register/calendars/:id(\\d+|new)', name: 'calendar', component: () => import('./pages/CalendarPage.vue'), meta: { title: 'Calendar' } },
    { path: '/register/policy', name: 'policy', component: () => import('./pages/PolicyPage.vue'), meta: { title: 'Our policy' } },
    { path: '/register/secrets', name: 'secrets', component: () => import('./pages/SecretsPage.vue'), meta: { title: 'Secrets' } },
    { path: '/register/people', name: 'people', component: () => import('./pages/PeoplePage.vue'), meta: { title: 'Our people' } },
    { path: '/find', name: 'find', component: () => import('./pages/FindPage.vue'), meta: { title: 'Found' } },
    { path: '/:rest(.*)', name: 'nowhere', component: () => import('./pages/NowherePage.vue'), meta: { title: 'Nothing here' } },
  ],
})
router.afterEach((to) => {
  document.title = `${String(to.params.name ?? to.meta.title ?? '')} · Roundhouse`
})

const queries = new QueryClient({
  defaultOptions: { queries: { staleTime: 5_000, retry: (n, e) => n < 2 && (!(e instanceof Problem) || e.status >= 500 || e.status === 0) } },
})

void apply(scheme.value).then(() => createApp(App).use(router).use(VueQueryPlugin, { queryClient: queries }).mount('#app'))
