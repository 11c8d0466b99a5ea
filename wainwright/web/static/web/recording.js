/* Recording costs: uploads one by one that survive a lost signal, pasting into grids, checking while typing, looking closely. */
(function () {
  "use strict";

  /* Uploads: kept in the browser until the server has them, sent one by one, tried again when the signal comes back. */
  const STORE = "waiting";
  const open = () => new Promise((done, failed) => {
    const asked = indexedDB.open("wainwright-uploads", 1);
    asked.onupgradeneeded = () => asked.result.createObjectStore(STORE, { autoIncrement: true });
    asked.onsuccess = () => done(asked.result);
    asked.onerror = () => failed(asked.error);
  });
  const within = async (mode, act) => {
    const base = await open();
    return new Promise((done, failed) => {
      const move = base.transaction(STORE, mode), asked = act(move.objectStore(STORE));
      move.oncomplete = () => { base.close(); done(asked && asked.result); };
      move.onerror = () => { base.close(); failed(move.error); };
    });
  };
  const waiting = async () => {
    const keys = await within("readonly", (s) => s.getAllKeys()), files = await within("readonly", (s) => s.getAll());
    return keys.map((key, n) => [key, files[n]]);
  };
  const line = (name, words) => {
    const list = document.querySelector("[data-uploads]");
    if (!list) return null;
    let item = Array.from(list.children).find((each) => each.dataset.name === name);
    if (!item) { item = document.createElement("li"); item.dataset.name = name; list.append(item); }
    item.textContent = `${name}: ${words}`;
    return item;
  };
  let sending = false;
  async function send() {
    const form = document.querySelector("[data-drop]");
    if (!form || sending) return;
    sending = true;
    let taken = 0;
    try {
      for (const [key, kept] of await waiting()) {
        line(kept.name, self.said("being sent"));
        const body = new FormData();
        body.append("files", new File([kept.bytes], kept.name, { type: kept.type }));
        body.append("csrfmiddlewaretoken", form.querySelector("[name=csrfmiddlewaretoken]").value);
        let answer;
        try { answer = await fetch(form.action, { method: "POST", body, headers: { "X-One-By-One": "1" } }); } catch { answer = null; }
        if (!answer || answer.status >= 500) { line(kept.name, self.said("waits for the signal; it is kept on this device")); continue; }
        await within("readwrite", (s) => s.delete(key));
        const said = answer.ok && (answer.headers.get("Content-Type") || "").includes("json") ? await answer.json() : null;
        if (said && !said.faults.length) { taken += 1; line(kept.name, self.said("taken in")).dataset.good = "1"; } else line(kept.name, said ? said.faults.join(" ") : self.said("not taken; sign in and send it again")).classList.add("error");
      }
    } finally { sending = false; }
    if (taken) {
      document.querySelectorAll("[data-uploads] li[data-good]").forEach((item) => item.remove());
      const list = document.querySelector("[data-uploads]"), said = document.createElement("li"), one = taken === 1;
      said.textContent = self.said(one ? "1 paper taken in; it is being read." : "{count} papers taken in, being read.", { count: taken });
      list.append(said);
      setTimeout(() => said.remove(), 20000);
    }
    if (taken && window.htmx) window.htmx.ajax("GET", location.href, { target: "#board", select: "#board", swap: "outerHTML" });
  }
  async function keep(files) {
    for (const file of files) {
      const kept = { name: file.name || "picture.jpg", type: file.type, bytes: await file.arrayBuffer() };
      await within("readwrite", (s) => s.add(kept));
      line(kept.name, self.said("waits to be sent"));
    }
    send();
  }
  document.addEventListener("submit", (event) => {
    const form = event.target, field = form.matches("[data-drop]") && form.querySelector("input[name=files]");
    if (!field || !window.indexedDB || !field.files.length) return;
    event.preventDefault(); event.stopImmediatePropagation();
    const files = Array.from(field.files);
    field.value = "";
    keep(files).catch(() => { HTMLFormElement.prototype.submit.call(form); });
  }, true);
  document.addEventListener("change", (event) => {
    if (!event.target.matches("[data-camera]")) return;
    const files = Array.from(event.target.files).map((file, n) => new File([file], `picture ${new Date().toISOString().slice(0, 19).replace(/[T:]/g, " ")} ${n + 1}.jpg`, { type: file.type }));
    event.target.value = "";
    keep(files);
  });
  window.addEventListener("online", send);
  if (window.indexedDB) waiting().then((rows) => { rows.forEach(([, kept]) => line(kept.name, self.said("waits to be sent"))); if (rows.length) send(); }).catch(() => {});

  /* A paste of several cells is laid out by the server, which knows dates, headers and categories. */
  document.addEventListener("paste", (event) => {
    const form = event.target.closest && event.target.closest("[data-grid]");
    if (!form || event.target.name === "paste") return;
    const text = event.clipboardData.getData("text/plain");
    if (!/[\t\n]/.test(text.trim())) return;
    event.preventDefault();
    form.elements.paste.value = text;
    form.requestSubmit(form.querySelector("button[name=more]"));
  });

  /* What the rules say, while typing. */
  let soon = 0, asked = 0;
  function check(form) {
    clearTimeout(soon);
    soon = setTimeout(async () => {
      const turn = asked += 1, said = form.querySelector(".check-said");
      const answer = await fetch(form.dataset.check, { method: "POST", body: new FormData(form) }).catch(() => null);
      const words = answer && answer.ok ? await answer.text() : "";
      // A late answer to what was typed before is dropped; the same answer again leaves its buttons under the finger.
      if (!answer || !answer.ok || turn !== asked || !said.isConnected || said.words === words) return;
      said.words = words;
      said.innerHTML = words;
    }, 350);
  }
  ["input", "change"].forEach((name) => document.addEventListener(name, (event) => {
    const form = event.target.closest && event.target.closest("form[data-check]");
    if (form) check(form);
  }));
  /* What stands there already is checked as well, where it was filled in by something else than a hand. */
  document.querySelectorAll("form[data-check-now]").forEach(check);
  document.addEventListener("click", (event) => {
    const button = event.target.closest("[data-fill]");
    if (!button) return;
    const form = button.closest("form"), field = form.elements[button.dataset.fill];
    field.value = button.dataset.value;
    field.focus();
    check(form);
  });

  /* What is left of a bill, while its parts are typed. */
  document.addEventListener("input", (event) => {
    const form = event.target.closest && event.target.closest("form[data-parts]");
    if (!form || event.target.name !== "part-amount") return;
    const placed = Array.from(form.querySelectorAll("[name=part-amount]")).reduce((sum, box) => sum + Math.round(self.readNumber(box.value) * 1000), 0);
    form.querySelector("[data-left]").textContent = self.writeNumber((Math.round(Number(form.dataset.parts) * 1000) - placed) / 1000, 2, true);
  });

  /* A page large: zoomed and turned. */
  document.querySelectorAll(".viewer-acts").forEach((acts) => { acts.hidden = false; });
  document.addEventListener("click", (event) => {
    const button = event.target.closest("[data-zoom], [data-turn]");
    const viewer = button && button.closest("[data-viewer]");
    if (!viewer) return;
    viewer.querySelectorAll(".paper svg").forEach((svg) => {
      const zoom = Math.min(5, Math.max(1, (Number(svg.dataset.zoomed) || 1) * (Number(button.dataset.zoom) || 1)));
      const turn = ((Number(svg.dataset.turned) || 0) + (Number(button.dataset.turn) || 0)) % 360;
      const box = svg.viewBox.baseVal, w = Number(svg.dataset.w || box.width), h = Number(svg.dataset.h || box.height);
      svg.dataset.zoomed = zoom; svg.dataset.turned = turn; svg.dataset.w = w; svg.dataset.h = h;
      const lying = turn % 180 !== 0;
      svg.setAttribute("viewBox", lying ? `0 0 ${h} ${w}` : `0 0 ${w} ${h}`);
      svg.setAttribute("width", `${zoom * 100}%`);
      const group = svg.querySelector("g.turned") || (() => {
        const made = document.createElementNS("http://www.w3.org/2000/svg", "g");
        made.setAttribute("class", "turned"); made.append(...svg.childNodes); svg.append(made); return made;
      })();
      group.setAttribute("transform", { 0: "", 90: `translate(${h} 0) rotate(90)`, 180: `translate(${w} ${h}) rotate(180)`, 270: `translate(0 ${w}) rotate(270)` }[turn]);
    });
  });
  document.addEventListener("htmx:afterSwap", () => document.querySelectorAll(".viewer-acts").forEach((acts) => { acts.hidden = false; }));
})();
