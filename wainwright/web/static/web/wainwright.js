/* Keys, dropping files, and lighting up boxes. Every page works without this file. */
(function () {
  "use strict";
  let going = false;
  const typing = (el) => el.closest("input, select, textarea, [contenteditable]");
  const lines = () => Array.from(document.querySelectorAll("[data-line]"));

  function step(by) {
    const all = lines();
    if (!all.length) return;
    const at = all.indexOf(document.activeElement.closest("[data-line]"));
    const next = all[Math.max(0, Math.min(all.length - 1, at + by))];
    (next.matches("a, button, [tabindex]") ? next : next.querySelector("a, button, [tabindex]")).focus();
  }

  document.addEventListener("keydown", (event) => {
    if (event.ctrlKey || event.metaKey || event.altKey || typing(event.target)) return;
    const key = event.key;
    if (going) {
      going = false;
      const area = document.querySelector(`.nav a[data-key="${CSS.escape(key)}"]`);
      if (area) { event.preventDefault(); area.click(); }
      return;
    }
    const press = (selector) => {
      const found = document.querySelector(selector);
      if (found) { event.preventDefault(); found.focus(); found.click(); }
    };
    if (key === "g") going = true;
    else if (key === "?") { event.preventDefault(); document.getElementById("keys").showModal(); }
    else if (key === "/") press("[data-find]");
    else if (key === "j") step(1);
    else if (key === "k") step(-1);
    else if (key === "a") press("[data-key-a]");
    else if (key === "b") press("[data-key-b]");
  });

  document.addEventListener("click", (event) => {
    const opener = event.target.closest("[data-opens]");
    if (opener) { event.preventDefault(); document.getElementById(opener.dataset.opens).showModal(); }
    const worked = event.target.closest('a[href^="#allowance-"]');
    if (worked) {
      const found = document.getElementById(worked.getAttribute("href").slice(1));
      const holder = found && found.closest("details");
      if (holder) holder.open = true;
    }
  });

  /* A field of a read receipt shows its box on the picture while it has the focus. */
  document.addEventListener("focusin", (event) => {
    document.querySelectorAll("[data-box-of]").forEach((box) => {
      box.classList.toggle("box-total", box.dataset.boxOf === event.target.name);
    });
  });

  const zone = () => document.querySelector("[data-drop]");
  ["dragover", "dragleave", "drop"].forEach((name) => document.addEventListener(name, (event) => {
    const form = zone();
    if (!form || !event.dataTransfer || !event.dataTransfer.types.includes("Files")) return;
    event.preventDefault();
    form.classList.toggle("over-it", name === "dragover");
    if (name === "drop") {
      form.querySelector("input[type=file]").files = event.dataTransfer.files;
      form.requestSubmit();
    }
  }));
  document.addEventListener("change", (event) => {
    if (event.target.matches("[data-drop] input[type=file], [data-send-on-change]")) event.target.form.requestSubmit();
  });
  /* A button outside its form is told to a form that swaps a part of the page, which would not see it otherwise. */
  document.addEventListener("submit", (event) => {
    const form = event.target, button = event.submitter;
    if (!form.hasAttribute("hx-boost") || !button || !button.name || form.contains(button)) return;
    let hidden = form.querySelector("input[data-outer]");
    if (!hidden) {
      hidden = document.createElement("input");
      hidden.type = "hidden";
      hidden.dataset.outer = "1";
      form.append(hidden);
    }
    hidden.name = button.name;
    hidden.value = button.value;
  }, true);
  /* Two forms of one act: a second click on a button that is at work does nothing. */
  document.addEventListener("submit", (event) => {
    const form = event.target;
    if (form.dataset.sent && !form.hasAttribute("hx-boost")) { event.preventDefault(); return; }
    form.dataset.sent = "1";
    setTimeout(() => delete form.dataset.sent, 4000);
  });
})();
