/* Keeps what the page without a signal is made of, opens it where the net is gone, takes what a phone shares, and sends what waits. */
"use strict";
const KEPT = `shell-${VERSION}`;

self.addEventListener("install", (event) => {
  event.waitUntil(caches.open(KEPT).then((cache) => cache.addAll(SHELL)).then(() => self.skipWaiting()));
});

self.addEventListener("activate", (event) => {
  event.waitUntil((async () => {
    for (const name of await caches.keys()) if (name !== KEPT) await caches.delete(name);
    await self.clients.claim();
  })());
});

importScripts(SENDS);

async function shared(request) {
  const files = (await request.formData()).getAll("files").filter((file) => file instanceof File && file.size);
  const made = Date.now();
  /* Whose they are is known once the page opens. */
  for (const [n, file] of files.entries()) await self.away.put({ id: crypto.randomUUID(), made: made + n, member: null, kind: "paper", fields: {}, file, name: file.name, problem: "" });
  return Response.redirect(`/away/?shared=${files.length}`, 303);
}

/* The signal is back, and no page of ours is open: the browser wakes this worker. What is left then it asks for again, later and later. */
self.addEventListener("sync", (event) => {
  if (event.tag !== self.away.TAG) return;
  event.waitUntil((async () => {
    const said = await self.away.go(async () => {});
    if (said === null || (typeof said === "object" && (await self.away.waiting()).some((row) => !row.problem && row.member === said.who.id))) throw new Error("not sent yet");
  })());
});

self.addEventListener("fetch", (event) => {
  const request = event.request, url = new URL(request.url);
  if (url.origin !== location.origin) return;
  if (request.method === "POST" && url.pathname === "/away/share/") { event.respondWith(shared(request)); return; }
  if (request.method !== "GET") return;
  if (request.mode === "navigate") {
    event.respondWith(fetch(request).catch(async () => (await caches.match("/away/", { cacheName: KEPT })) || Response.error()));
    return;
  }
  if (SHELL.includes(url.pathname)) event.respondWith(caches.match(request, { cacheName: KEPT }).then((found) => found || fetch(request)));
});
