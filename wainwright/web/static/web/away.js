/* On the way: what is taken down without a signal waits in the browser and is sent on in order, each once. */
(() => {
  "use strict";
  const { waiting, put, drop, kept, keep } = self.away;
  let last = null;
  /* One page sends at a time, or the browser's worker, whichever was first. */
  async function go() {
    await self.away.go(async (said) => { last = said; await show(); });
    /* What is left is sent when the signal is back, though this page is closed by then. */
    if ((await waiting()).some((row) => !row.problem) && "serviceWorker" in navigator) {
      navigator.serviceWorker.getRegistration("/").then((worker) => worker && worker.sync && worker.sync.register(self.away.TAG)).catch(() => {});
    }
  }

  const el = (name, words, more = {}) => {
    const made = document.createElement(name);
    if (words) made.textContent = words;
    for (const [key, value] of Object.entries(more)) made.setAttribute(key, value);
    return made;
  };
  const said_of = self.said;
  const KINDS = { cost: said_of("Cost"), ride: said_of("Ride"), paper: said_of("Paper") };
  const words = (row) => row.kind === "paper" ? row.name : row.kind === "cost"
    ? `${row.fields.amount} ${row.fields.currency}, ${row.fields.merchant || said_of("no name")}, ${row.fields.date}`
    : `${row.fields.origin} – ${row.fields.target}, ${row.fields.date}`;

  async function show() {
    const root = document.getElementById("away");
    const rows = await waiting(), said = (await kept()) || null;
    const badge = document.querySelector("[data-away-count]");
    if (badge) { badge.hidden = !rows.length; badge.textContent = said_of("{count} on this phone, not sent yet", { count: rows.length }); }
    if (!root) return;
    const place = (name) => root.querySelector(`[data-${name}]`);
    const state = place("state");
    if (last === "out") state.replaceChildren(said_of("Signed out. What waits is sent once you sign in."), " ", el("a", said_of("Sign in"), { href: "/accounts/login/?next=/away/" }));
    else if (last === "other") state.textContent = said_of("This page is for those who travel, as themselves.");
    else if (last === null) state.textContent = navigator.onLine ? said_of("Wainwright does not answer. What you take down waits here.") : said_of("No signal. What you take down waits here, and is sent when it is back.");
    else {
      const mine = rows.filter((row) => row.member === null || row.member === last.who.id);
      if (mine.some((row) => !row.problem)) state.textContent = said_of("Sending…");
      else state.textContent = mine.length ? said_of("Not everything was taken: see below.") : said_of("Everything is sent.");
    }
    const list = place("waiting");
    list.replaceChildren(...rows.map((row) => {
      const item = el("li", "", { class: row.problem ? "card card-doubt" : "card" });
      const text = el("div", "", { class: "grow" });
      /* On a phone that several use, nobody reads what another took down. */
      const own = row.member === null || Boolean(said && said.who.id === row.member);
      text.append(el("b", KINDS[row.kind]), own ? ` ${words(row)}` : "");
      if (own && row.problem) text.append(el("div", row.problem, { class: "small error" }));
      if (!own) text.append(el("div", said ? said_of("Taken down by somebody else on this phone: it is sent when they sign in.") : said_of("It is shown, and sent, when whoever took it down signs in."), { class: "small" }));
      item.append(text);
      if (own && row.problem && row.kind !== "paper") {
        const change = el("button", said_of("Change"), { class: "btn", type: "button" });
        change.addEventListener("click", () => edit(row));
        item.append(change);
      }
      const away = el("button", said_of("Drop"), { class: "btn", type: "button", "aria-label": `${said_of("Drop")} ${KINDS[row.kind]} ${own ? words(row) : ""}` });
      away.addEventListener("click", async () => { await drop(row.id); await show(); });
      if (own) item.append(away);
      return item;
    }));
    place("none").hidden = rows.length > 0;
    if (said) told(place, said);
  }

  function told(place, said) {
    place("who").textContent = said_of("{name}, {firm}. As of {time}", { name: said.who.name, firm: said.who.firm, time: new Date(said.at).toLocaleString(document.documentElement.lang, { dateStyle: "medium", timeStyle: "short" }) });
    place("steps").replaceChildren(...said.steps.map((step) => {
      const item = el("li");
      item.append(el("a", step.what, { href: step.link }));
      if (step.detail) item.append(el("div", step.detail, { class: "small soft" }));
      return item;
    }), ...(said.more_steps ? [el("li", said_of("and {count} more on your desk", { count: said.more_steps }))] : []));
    place("no-steps").hidden = said.steps.length > 0;
    place("trips").replaceChildren(...said.trips.map((trip) => {
      const part = el("section", "", { class: "stack" });
      part.append(el("h3", `${trip.title} · ${trip.code}`));
      const days = new Map();
      for (const row of trip.rows) days.set(row.day, [...(days.get(row.day) || []), row]);
      for (const [day, rows] of days) {
        const head = new Date(`${day}T12:00`).toLocaleDateString(document.documentElement.lang, { weekday: "long", day: "numeric", month: "long" });
        part.append(el("h4", day === said.day ? `${head}, today` : head, { class: "small" }));
        const list = el("ul", "", { class: "plain" });
        for (const row of rows) {
          const item = el("li");
          item.append(el("b", row.time), ` ${row.what}`);
          for (const more of [row.where, row.note, row.seats]) if (more) item.append(el("div", more, { class: "small soft" }));
          list.append(item);
        }
        part.append(list);
      }
      return part;
    }));
    place("no-trips").hidden = said.trips.length > 0;
    const fill = (name, pairs, chosen) => {
      for (const select of document.querySelectorAll(`#away select[name=${name}]`)) {
        if (select.dataset.filled === JSON.stringify(pairs)) continue;
        const was = select.value || chosen;
        select.replaceChildren(...pairs.map(([value, text]) => el("option", text, { value })));
        if (pairs.some(([value]) => value === was)) select.value = was;
        select.dataset.filled = JSON.stringify(pairs);
      }
    };
    fill("currency", said.offers.currency.map((code) => [code, code]), said.offers.home);
    fill("category", [["", "Choose"], ...said.offers.category], "");
    fill("paid_by", said.offers.paid_by, "self");
    fill("vehicle", said.offers.vehicle);
  }

  let editing = null;
  function edit(row) {
    const form = document.querySelector(`form[data-kind=${row.kind}]`);
    for (const [name, value] of Object.entries(row.fields)) {
      const field = form.elements[name];
      if (field && field.type === "checkbox") field.checked = value === "on";
      else if (field) field.value = value;
    }
    editing = row;
    form.closest("details").open = true;
    form.querySelector("input, select").focus();
  }

  /* The day it is here, by the server's clock as it was last heard of: a phone's own may be wrong. */
  async function date() {
    const said = await kept(), at = said ? Date.parse(said.at) + (Date.now() - said.kept) : Date.now();
    return new Date(at - new Date(at).getTimezoneOffset() * 60000).toISOString().slice(0, 10);
  }
  async function dated(part) {
    const day = await date();
    for (const field of part.querySelectorAll("input[type=date]")) if (!field.value) field.value = day;
  }

  function listen(root) {
    for (const form of root.querySelectorAll("form[data-kind]")) form.addEventListener("submit", async (event) => {
      event.preventDefault();
      const said = await kept(), member = said ? said.who.id : null, made = Date.now(), kind = form.dataset.kind;
      if (kind === "paper") {
        const files = [...form.elements.files.files];
        for (const [n, file] of files.entries()) await put({ id: crypto.randomUUID(), made: made + n, member, kind, fields: {}, file, name: file.name || "photo.jpg", problem: "" });
      } else {
        const fields = {};
        for (const [name, value] of new FormData(form)) if (value !== "") fields[name] = value;
        /* What was changed after a refusal is another press of the form, at its old place. */
        const row = { id: crypto.randomUUID(), made: editing ? editing.made : made, member, kind, fields, file: null, name: "", problem: "" };
        await put(row);
        if (editing) await drop(editing.id);
        editing = null;
      }
      form.reset();
      await dated(form);
      await show();
      await go();
    });
    /* What was chosen is kept at once: there is nothing more to say about it. */
    const files = root.querySelector("#away-files");
    files.addEventListener("change", () => { if (files.files.length) files.form.requestSubmit(); });
    const at = location.hash.slice(1), wanted = at && root.querySelector(`form[data-kind="${CSS.escape(at)}"]`);
    if (wanted) wanted.closest("details").open = true;
  }

  document.addEventListener("DOMContentLoaded", async () => {
    if ("serviceWorker" in navigator && window.isSecureContext) navigator.serviceWorker.register("/worker.js", { scope: "/" }).catch(() => {});
    const root = document.getElementById("away");
    if (root) { listen(root); await show(); }
    /* Whoever signs out leaves nothing of theirs to read on this phone; what waits to be sent stays. */
    if (!root && !document.body.dataset.who) await keep(null);
    if (root || (await waiting()).length) await go();
    if (root) await dated(root);
  });
  window.addEventListener("online", go);
  document.addEventListener("visibilitychange", () => { if (!document.hidden && document.getElementById("away")) go(); });
  setInterval(async () => { if (document.getElementById("away") && (await waiting()).some((row) => !row.problem)) go(); }, 20000);
})();
