/* The divided bar: drawn as it is typed, and dragged at its joints. The editor works without this file. */
(function () {
  "use strict";
  const NS = "http://www.w3.org/2000/svg";
  const number = self.readNumber, round = self.writeNumber;

  function parts(box) {
    const by = box.querySelector("[name=split-by]:checked");
    const amount = by && by.value === "amount";
    const whole = amount ? Number(box.dataset.whole) : 100;
    const rows = Array.from(box.querySelectorAll("[data-split-row]"), (row) => ({
      coding: row.querySelector("[name=split-coding]"), part: row.querySelector("[name=split-share]"),
    }));
    return { amount, whole, rows, places: amount ? 2 : 4 };
  }

  function draw(box) {
    const { amount, whole, rows, places } = parts(box), svg = box.querySelector(".split-bar");
    svg.querySelectorAll("rect:not(.split-none), .split-joint").forEach((old) => old.remove());
    let x = 0, given = 0;
    const joints = [];
    rows.forEach((row, n) => {
      const value = number(row.part.value, places);
      given += value;
      const width = Math.max(0, Math.min(1000 - x, Math.abs(value / whole) * 1000));
      if (!width) return;
      const rect = document.createElementNS(NS, "rect");
      const set = (name, text) => rect.setAttribute(name, text);
      set("class", `split-${n % 6}`); set("x", x); set("y", 0); set("width", width); set("height", 30);
      const title = document.createElementNS(NS, "title");
      title.textContent = `${row.coding.value} ${row.part.value}`;
      rect.append(title);
      svg.append(rect);
      x += width;
      joints.push({ x, n });
    });
    /* With handles on it, it is a group of things to move and no picture. */
    svg.setAttribute("role", "group");
    joints.slice(0, -1).forEach((joint, at) => svg.append(grip(box, joint, joints[at + 1].n)));
    const left = whole - given, small = amount ? 0.004 : 0.00004;
    const unit = amount ? "" : " %";
    box.querySelector("[data-remains]").textContent =
      !given ? "" : Math.abs(left) < small ? self.said("Nothing remains.") : left > 0 ? self.said("{left} remains.", { left: `${round(left, 4)}${unit}` }) : self.said("{left} too much.", { left: `${round(-left, 4)}${unit}` });
  }

  /* Dragging a joint, or its arrow keys, gives to one side what it takes from the other. */
  function grip(box, joint, other) {
    const handle = document.createElementNS(NS, "rect");
    const set = (name, text) => handle.setAttribute(name, text);
    set("class", "split-joint"); set("x", joint.x - 5); set("y", 0); set("width", 10); set("height", 30);
    set("tabindex", "0"); set("role", "slider"); set("aria-label", self.said("The joint between two parts"));
    set("aria-valuemin", 0); set("aria-valuemax", 100); set("aria-valuenow", Math.round(joint.x / 10));
    const move = (by) => {
      const { whole, rows, places } = parts(box), one = rows[joint.n].part, two = rows[other].part;
      const a = number(one.value, places), b = number(two.value, places), step = (by / 1000) * whole;
      const next = Math.max(0, Math.min(a + b, a + step));
      one.value = round(next, places === 4 ? 2 : 2);
      two.value = round(a + b - number(one.value, places), places);
      draw(box);
    };
    handle.addEventListener("keydown", (event) => {
      const by = { ArrowLeft: -10, ArrowRight: 10 }[event.key];
      if (!by) return;
      event.preventDefault();
      move(by);
      const again = box.querySelectorAll(".split-joint");
      if (again.length) again[Math.min(again.length - 1, joint.n)].focus();
    });
    handle.addEventListener("pointerdown", (event) => {
      event.preventDefault();
      const svg = box.querySelector(".split-bar"), wide = svg.getBoundingClientRect().width;
      let from = event.clientX;
      const drag = (e) => { move(((e.clientX - from) / wide) * 1000); from = e.clientX; };
      const drop = () => { window.removeEventListener("pointermove", drag); window.removeEventListener("pointerup", drop); };
      window.addEventListener("pointermove", drag);
      window.addEventListener("pointerup", drop);
    });
    return handle;
  }

  /* Of two lines the other bears the rest: once one is typed, nothing is left to type. */
  function complete(box, typed) {
    const { whole, rows, places } = parts(box), named = rows.filter((row) => row.coding.value.trim());
    const other = named.length === 2 && named.find((row) => row.part !== typed), value = number(typed.value, places);
    if (!other || !(value > 0 && value < whole) || !named.some((row) => row.part === typed)) return;
    other.part.value = round(whole - value, places);
    draw(box);
  }

  document.addEventListener("change", (event) => {
    const box = event.target.name === "split-share" && event.target.closest("[data-divided]");
    if (box) complete(box, event.target);
  });

  const all = (root) => root.querySelectorAll("[data-divided]").forEach(draw);
  document.addEventListener("input", (event) => {
    const box = event.target.closest("[data-divided]");
    if (box) draw(box);
  });
  document.addEventListener("change", (event) => {
    const box = event.target.name === "split-by" && event.target.closest("[data-divided]");
    if (!box) return;
    /* What was typed stays what it means: shares become amounts, and back. */
    const { amount, rows, places, whole: now } = parts(box), before = amount ? 100 : Number(box.dataset.whole);
    const was = (row) => number(row.part.value, amount ? 4 : 2), told = rows.filter(was);
    const all = Math.abs(told.reduce((sum, row) => sum + was(row), 0) - before) < 0.005;
    let left = now;
    told.forEach((row, n) => {
      /* Where all was told all is told after it, whatever the rounding. */
      row.part.value = round(all && n === told.length - 1 ? left : (was(row) * now) / before, places);
      left -= number(row.part.value, places);
    });
    draw(box);
  });
  /* "=" in a part puts there what remains. */
  document.addEventListener("keydown", (event) => {
    const box = event.key === "=" && event.target.name === "split-share" && event.target.closest("[data-divided]");
    if (!box) return;
    event.preventDefault();
    const { whole, rows, places } = parts(box);
    const others = rows.reduce((sum, row) => (row.part === event.target ? sum : sum + number(row.part.value, places)), 0);
    event.target.value = round(Math.max(0, whole - others), places);
    draw(box);
  });
  document.addEventListener("DOMContentLoaded", () => all(document));
  document.addEventListener("htmx:afterSettle", () => all(document));
})();
