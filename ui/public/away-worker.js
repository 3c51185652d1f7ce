/* Hands out packages that were taken along on this device, with or without a network. Nothing else passes through here. */
const KEPT = 'canaleta-away'

self.addEventListener('install', () => self.skipWaiting())
self.addEventListener('activate', (event) => event.waitUntil(self.clients.claim()))
self.addEventListener('fetch', (event) => {
  const url = new URL(event.request.url)
  if (event.request.mode !== 'navigate' || !url.pathname.startsWith('/away/')) return
  event.respondWith(
    caches
      .open(KEPT)
      .then((kept) => kept.match(url.pathname))
      .then((page) => page ?? fetch(event.request)),
  )
})
