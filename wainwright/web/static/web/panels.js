/* A page of panels: one open at a time, in its place; what was typed and not yet kept survives. Every page works without this file. */
(function () {
  "use strict";
  const frame = () => document.querySelector("[data-panels]");
  const slotOf = (name) => document.getElementById(`slot-${name}`) || document.getElementById("slot-doors");
  const open = () => document.querySelector(".slot > [data-panel]");
  const openName = () => (open() ? open().dataset.panel : "");

  /* Openers say whether what they open is open; the address says it too, so that a reload keeps it. */
  function mark(keep) {
    if (!frame()) return;
    const name = openName();
    document.querySelectorAll("[data-open]:not(.panel *)").forEach((el) => {
      el.setAttribute("aria-expanded", el.dataset.open === name ? "true" : "false");
    });
    const line = name && document.getElementById(name);
    document.querySelectorAll(".is-open").forEach((el) => el.classList.remove("is-open"));
    if (line) line.classList.add("is-open");
    const wanted = frame().dataset.panels + (name ? `?open=${encodeURIComponent(name)}` : "");
    if (keep && location.pathname + location.search !== wanted) history.replaceState(history.state, "", wanted);
  }
  function close() {
    document.querySelectorAll(".slot").forEach((slot) => { slot.replaceChildren(); });
  }
  async function show(name, act, from) {
    if (act === undefined && openName() === name) { close(); mark(true); return; }
    const slot = slotOf(name), path = `${frame().dataset.panels}open/${encodeURIComponent(name)}/${act ? `?do=${encodeURIComponent(act)}` : ""}`;
    slot.classList.add("is-coming");
    try { await window.htmx.ajax("GET", path, { target: slot, swap: "innerHTML" }); } catch { /* said below */ } finally { slot.classList.remove("is-coming"); }
    if (!slot.firstElementChild || slot.firstElementChild.dataset.panel !== name) { tell(self.said("That did not open: it may be gone, or there is no connection. Load the page anew.")); return; }
    document.querySelectorAll(".slot").forEach((other) => { if (other !== slot) other.replaceChildren(); });
    mark(true);
    const panel = open();
    /* Chosen on the ribbon, the line comes into sight and takes the focus; a form that was asked for takes it at its first field. */
    const field = act && panel.querySelector("input:not([type=hidden]), select, textarea");
    const line = document.querySelector(`[data-line] > [data-open="${CSS.escape(name)}"]`);
    if (field) field.focus({ preventScroll: true });
    else if (line && !from.closest("[data-line]")) line.focus({ preventScroll: true });
    panel.scrollIntoView({ block: "nearest" });
    if (line) line.scrollIntoView({ block: "nearest" });
  }
  document.addEventListener("click", (event) => {
    const opener = event.target.closest && event.target.closest("[data-open]");
    if (!opener || !frame() || event.ctrlKey || event.metaKey || event.shiftKey || !window.htmx) return;
    event.preventDefault();
    show(opener.dataset.open, opener.dataset.do, opener);
  });
  document.addEventListener("keydown", (event) => {
    if (event.key !== "Escape" || !open() || event.target.closest("dialog, .r-grip")) return;
    const line = document.querySelector(`[data-open="${CSS.escape(openName())}"]:not(.panel *)`);
    close();
    mark(true);
    if (line) line.focus();
  });

  /* Each request says what the page shows, so that only what differs comes back. */
  let sender = null;
  document.addEventListener("htmx:configRequest", (event) => {
    if (!frame() || event.detail.verb !== "post") return;
    sender = event.detail.elt;
    const own = sender.closest && sender.closest(".panel");
    const has = Array.from(document.querySelectorAll(".region[data-is]")).map((el) => `${el.id.slice(2)}=${el.dataset.is}`);
    if (open() && open() !== own) has.push(`panel=${open().dataset.is}`);
    event.detail.headers["X-Regions"] = has.join(",");
    event.detail.headers["X-Open"] = openName();
  });
  const isForm = (el) => frame() && el.matches && el.matches("form");
  document.addEventListener("htmx:beforeSwap", (event) => {
    const xhr = event.detail.xhr, form = event.detail.requestConfig.elt;
    if (isForm(form) && xhr.status < 300 && !xhr.responseText.includes("message-error")) forget(form);
  });
  document.addEventListener("htmx:afterRequest", (event) => {
    const form = event.detail.requestConfig.elt, xhr = event.detail.xhr, status = xhr ? xhr.status : 0;
    if (!isForm(form)) return;
    if (status !== 422 && (!status || status >= 400)) { failed(status); return; }
    const said = document.getElementById("r-messages"), wanted = said.dataset.opened;
    if (wanted !== undefined) {
      document.querySelectorAll(".slot > [data-panel]").forEach((panel) => { if (panel.dataset.panel !== wanted) panel.remove(); });
      mark(true);
    }
    if (status !== 422 && !said.querySelector(".message-error")) form.reset();
  });
  function failed(status) {
    tell(self.said(status ? "That was not done: the server could not answer. What you typed is still here; try again." : "That was not done: there is no connection. What you typed is still here; try again."));
  }
  function tell(text) {
    const said = document.getElementById("r-messages"), words = document.createElement("div");
    words.className = "message message-error";
    words.setAttribute("role", "alert");
    words.textContent = text;
    said.replaceChildren(words);
    said.scrollIntoView({ block: "nearest" });
  }
  document.addEventListener("htmx:afterSettle", () => { mark(true); restore(); });

  /* What is typed and not kept yet is kept in this tab, form by form, until the form is sent or put back. */
  const keyOf = (form) => {
    const panel = form.closest(".panel");
    return `typed:${document.body.dataset.who || ""}:${new URL(form.action, location.href).pathname}:${panel ? panel.dataset.panel : ""}`;
  };
  const fields = (form) => Array.from(form.elements).filter((el) => el.name && !["hidden", "password", "file", "submit", "button"].includes(el.type));
  const value = (el) => (el.type === "checkbox" || el.type === "radio" ? el.checked : el.value);
  const first = (el) => (el.type === "checkbox" || el.type === "radio" ? el.defaultChecked
    : el.tagName === "SELECT" ? (Array.from(el.options).find((o) => o.defaultSelected) || el.options[0] || { value: "" }).value : el.defaultValue);
  function forget(form) { try { sessionStorage.removeItem(keyOf(form)); } catch { /* a browser that keeps nothing */ } }
  document.addEventListener("input", (event) => {
    const form = event.target.form;
    if (!form || !event.target.closest(".slot, .line-entry") || !frame()) return;
    const typed = fields(form).map((el) => (value(el) === first(el) ? null : value(el)));
    try {
      if (typed.some((each) => each !== null)) sessionStorage.setItem(keyOf(form), JSON.stringify(typed)); else forget(form);
    } catch { /* nothing is kept */ }
  });
  function restore() {
    if (!frame()) return;
    document.querySelectorAll(".slot form, .line-entry form").forEach((form) => {
      let typed = null;
      try { typed = JSON.parse(sessionStorage.getItem(keyOf(form)) || "null"); } catch { typed = null; }
      const all = fields(form);
      if (!typed || typed.length !== all.length || form.dataset.restored) return;
      form.dataset.restored = "1";
      all.forEach((el, n) => {
        if (typed[n] === null || value(el) !== first(el)) return;
        if (el.type === "checkbox" || el.type === "radio") el.checked = typed[n]; else el.value = typed[n];
        el.classList.add("typed");
        el.title = self.said("Typed before and not kept yet");
      });
    });
  }
  mark(false);
  restore();
})();
