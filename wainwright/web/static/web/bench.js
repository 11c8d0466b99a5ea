/* The bench: evidence closer or turned, things before and after by key. */
(() => {
  "use strict";
  const typing = (event) => event.target.closest("input, textarea, select, [contenteditable]") || document.querySelector("dialog[open]");
  const papers = () => document.querySelector("[data-papers]");
  const closer = () => {
    const found = papers();
    if (!found) return;
    const on = found.classList.toggle("closer");
    document.querySelector("[data-closer]").setAttribute("aria-pressed", String(on));
  };
  const turn = () => {
    const found = papers();
    if (!found) return;
    const turned = (Number(found.dataset.turned || 0) + 1) % 4;
    found.classList.remove("turned-1", "turned-2", "turned-3");
    if (turned) found.classList.add(`turned-${turned}`);
    found.dataset.turned = turned;
  };
  const thing = (by) => {
    const all = [...document.querySelectorAll(".bench-item")];
    const here = all.findIndex((each) => each.getAttribute("aria-current") === "true");
    const next = all[here < 0 ? 0 : here + by];
    if (next) next.click();
  };
  document.addEventListener("click", (event) => {
    if (event.target.closest("[data-closer]")) closer();
    if (event.target.closest("[data-turn]")) turn();
  });
  window.addEventListener("keydown", (event) => {
    if (event.ctrlKey || event.metaKey || event.altKey || typing(event)) return;
    if (event.key === " " && papers() && !event.target.closest("button, a, summary")) { event.preventDefault(); closer(); }
    else if (event.key === "j" || event.key === "k") {
      const rows = [...document.querySelectorAll(".deciding [data-line]")].filter((row) => row.offsetParent);
      const here = rows.findIndex((row) => row.classList.contains("here"));
      const next = rows[here + (event.key === "j" ? 1 : -1)];
      if (next) { event.stopImmediatePropagation(); next.querySelector("a").click(); }
    } else if (event.key === "r") turn();
    else if (event.key === "," || event.key === ".") {
      const pages = [...document.querySelectorAll("[data-papers] figure")];
      if (pages.length < 2) return;
      const holder = papers(), at = pages.filter((page) => page.offsetTop <= holder.scrollTop + holder.offsetTop + 4).length - 1;
      const page = pages[at + (event.key === "." ? 1 : -1)];
      if (page) holder.scrollTo({ top: page.offsetTop - pages[0].offsetTop });
    } else if (event.key === "[") thing(-1);
    else if (event.key === "]") thing(1);
  }, true);
})();
