/* Keeps what the page without a signal is made of, opens it where the net is gone, and takes what a phone shares. */
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

const keep = (rows) => new Promise((done, failed) => {
  const asked = indexedDB.open("wainwright-away", 1);
  asked.onupgradeneeded = () => {
    asked.result.createObjectStore("waiting", { keyPath: "id" });
    asked.result.createObjectStore("kept");
  };
  asked.onerror = () => failed(asked.error);
  asked.onsuccess = () => {
    const move = asked.result.transaction("waiting", "readwrite");
    for (const row of rows) move.objectStore("waiting").put(row);
    move.oncomplete = () => { asked.result.close(); done(); };
    move.onerror = () => failed(move.error);
  };
});

async function shared(request) {
  const files = (await request.formData()).getAll("files").filter((file) => file instanceof File && file.size);
  const made = Date.now();
  /* Whose they are is known once the page opens. */
  await keep(files.map((file, n) => ({ id: crypto.randomUUID(), made: made + n, member: null, kind: "paper", fields: {}, file, name: file.name, problem: "" })));
  return Response.redirect(`/away/?shared=${files.length}`, 303);
}

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
