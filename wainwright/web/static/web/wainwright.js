/* Keys, dropping files, and lighting up boxes. Every page works without this file. */
(function () {
  "use strict";
  let going = false, at = -1;
  const typing = (el) => el.closest("input:not([type=checkbox]), select, textarea, [contenteditable]");
  const lines = () => Array.from(document.querySelectorAll("[data-line]"));

  function step(by) {
    const all = lines();
    if (!all.length) return;
    const here = all.indexOf(document.activeElement.closest("[data-line]"));
    const next = all[Math.max(0, Math.min(all.length - 1, here + by))];
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
    /* The line that has the focus is meant before the page's first. */
    const press = (selector) => {
      const line = document.activeElement.closest("[data-line]");
      const found = (line && line.querySelector(selector)) || document.querySelector(selector);
      if (found && line) at = lines().indexOf(line);
      if (found) { event.preventDefault(); found.focus(); found.click(); }
    };
    /* A question that is asked takes its own keys before any other. */
    if (document.querySelector(`[data-answer-key="${CSS.escape(key)}"]`)) press(`[data-answer-key="${CSS.escape(key)}"]`);
    else if (key === "g") going = true;
    else if (key === "?") { event.preventDefault(); document.getElementById("keys").showModal(); }
    else if (key === "/") press("[data-find]");
    else if (key === "j") step(1);
    else if (key === "k") step(-1);
    else if (key === "a") press("[data-key-a]");
    else if (key === "b") press("[data-key-b]");
    else if (key === "A") press("[data-key-all]");
    else if (key === "p") press("[data-key-p]");
    else if (key === "t") press("input[name=row][type=checkbox]");
    else if (key === "x") press("[data-key-x]");
    else if (key === "u") press("[data-key-u]");
    else if (key === "c") press("[data-key-c]");
    else if (key === "m") press("[data-key-m]");
    else if (key === "s") press("[data-key-s]");
  });

  /* After an act on a line the focus goes to the line that took its place, so that the next key means that one. */
  document.addEventListener("htmx:afterSettle", () => {
    const line = at >= 0 && lines()[Math.min(at, lines().length - 1)];
    const first = line && line.querySelector("a, button, [tabindex]");
    if (first) first.focus();
    at = -1;
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

  /* A box that finds one of a list is typed over, not after, what stands in it. */
  document.addEventListener("focusin", (event) => {
    if (event.target.matches("input[list]") && event.target.value) event.target.select();
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
    if (event.target.matches("[data-drop] input[name=files], [data-send-on-change]")) event.target.form.requestSubmit();
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

  /* Pointing at a way or a house marks it wherever it is shown. */
  const light = (key, on) => document.querySelectorAll(`[data-way="${CSS.escape(key)}"]`).forEach((el) => el.classList.toggle("lit", on));
  [["mouseover", true], ["mouseout", false], ["focusin", true], ["focusout", false]].forEach(([name, on]) => document.addEventListener(name, (event) => {
    const here = event.target.closest && event.target.closest("[data-way]");
    if (here) light(here.dataset.way, on);
  }));

  /* A box drawn on the field narrows the field and the list. */
  const spot = (svg, event) => {
    const point = new DOMPoint(event.clientX, event.clientY).matrixTransform(svg.getScreenCTM().inverse());
    return { x: point.x, y: point.y };
  };
  const local = (date) => new Date(date.getTime() - date.getTimezoneOffset() * 60000).toISOString().slice(0, 16);
  document.addEventListener("pointerdown", (event) => {
    const svg = event.target.closest && event.target.closest("[data-field]");
    if (!svg || event.target.closest("a") || event.button) return;
    const from = spot(svg, event), box = svg.querySelector("[data-box]"), d = svg.dataset;
    const draw = (now) => {
      box.setAttribute("x", Math.min(from.x, now.x)); box.setAttribute("y", Math.min(from.y, now.y));
      box.setAttribute("width", Math.abs(now.x - from.x)); box.setAttribute("height", Math.abs(now.y - from.y));
    };
    const move = (e) => draw(spot(svg, e));
    const up = (e) => {
      document.removeEventListener("pointermove", move); document.removeEventListener("pointerup", up);
      const to = spot(svg, e);
      if (Math.abs(to.x - from.x) < 8 || Math.abs(to.y - from.y) < 8) { draw(from); return; }
      const price = (y) => +d.low + (+d.floor - y) / (+d.floor - +d.top) * (+d.high - +d.low);
      const hour = (x) => local(new Date(new Date(d.first).getTime() + (x - +d.left) / (+d.right - +d.left) * +d.seconds * 1000));
      const form = document.getElementById("sentence");
      form.elements.box.value = [price(Math.max(from.y, to.y)).toFixed(0), price(Math.min(from.y, to.y)).toFixed(0), hour(Math.min(from.x, to.x)), hour(Math.max(from.x, to.x))].join(",");
      form.requestSubmit();
    };
    document.addEventListener("pointermove", move); document.addEventListener("pointerup", up);
  });

  /* Ends of moves and stays on the ribbon: dragged, or stepped with the arrow keys and kept with Enter. */
  const QUARTER = 15;
  const dayAfter = (iso, days) => { const date = new Date(iso + "T12:00:00Z"); date.setUTCDate(date.getUTCDate() + days); return date.toISOString().slice(0, 10); };
  function stepOf(grip, dx) {
    const column = +grip.closest("svg").dataset.column;
    return grip.dataset.leg ? Math.round(dx / column * 1440 / QUARTER) : Math.round(dx / column);
  }
  function show(grip, steps) {
    const column = +grip.closest("svg").dataset.column;
    const px = grip.dataset.leg ? steps * QUARTER / 1440 * column : steps * column;
    grip.setAttribute("transform", `translate(${px} 0)`);
  }
  function keep(grip, steps) {
    if (!steps) { show(grip, 0); return; }
    const form = document.getElementById(grip.dataset.leg ? "move-leg" : "move-stay");
    if (grip.dataset.leg) {
      form.elements.leg.value = grip.dataset.leg; form.elements.end.value = grip.dataset.end; form.elements.minutes.value = steps * QUARTER;
    } else {
      form.elements.start.value = grip.dataset.stay; form.elements.last.value = dayAfter(grip.dataset.last, steps);
    }
    form.requestSubmit();
  }
  document.addEventListener("pointerdown", (event) => {
    const grip = event.target.closest && event.target.closest(".r-grip");
    if (!grip || event.button) return;
    event.preventDefault();
    const from = event.clientX;
    grip.classList.add("held");
    const move = (e) => show(grip, stepOf(grip, e.clientX - from));
    const up = (e) => {
      document.removeEventListener("pointermove", move); document.removeEventListener("pointerup", up);
      grip.classList.remove("held");
      keep(grip, stepOf(grip, e.clientX - from));
    };
    document.addEventListener("pointermove", move); document.addEventListener("pointerup", up);
  });
  document.addEventListener("keydown", (event) => {
    const grip = event.target.closest && event.target.closest(".r-grip");
    if (!grip) return;
    const steps = +(grip.dataset.steps || 0);
    if (event.key === "ArrowLeft" || event.key === "ArrowRight") {
      event.preventDefault();
      grip.dataset.steps = steps + (event.key === "ArrowRight" ? 1 : -1);
      show(grip, +grip.dataset.steps);
    } else if (event.key === "Enter") { event.preventDefault(); keep(grip, steps); }
    else if (event.key === "Escape") { grip.dataset.steps = 0; show(grip, 0); }
  });
})();
