/* What was taken down without a signal: where it waits in the browser, and how it is sent, in order, each once. For the page and for its worker. */
(() => {
  "use strict";
  const open = () => new Promise((done, failed) => {
    const asked = indexedDB.open("wainwright-away", 1);
    asked.onupgradeneeded = () => {
      asked.result.createObjectStore("waiting", { keyPath: "id" });
      asked.result.createObjectStore("kept");
    };
    asked.onsuccess = () => done(asked.result);
    asked.onerror = () => failed(asked.error);
  });
  const within = async (store, mode, act) => {
    const base = await open();
    return new Promise((done, failed) => {
      const move = base.transaction(store, mode), asked = act(move.objectStore(store));
      move.oncomplete = () => { base.close(); done(asked && asked.result); };
      move.onerror = move.onabort = () => { base.close(); failed(move.error); };
    });
  };
  const waiting = async () => (await within("waiting", "readonly", (s) => s.getAll())).sort((a, b) => a.made - b.made);
  const put = (row) => within("waiting", "readwrite", (s) => s.put(row));
  const drop = (id) => within("waiting", "readwrite", (s) => s.delete(id));
  const kept = () => within("kept", "readonly", (s) => s.get("today"));
  const keep = (said) => within("kept", "readwrite", (s) => (said ? s.put(said, "today") : s.delete("today")));

  /* What the server says today; nothing where there is no signal; "out" where nobody is signed in, "other" for who does not travel. */
  async function ask() {
    let answer;
    try { answer = await fetch("/today/", { headers: { Accept: "application/json" }, redirect: "manual", cache: "no-store" }); } catch { return null; }
    if (answer.type === "opaqueredirect" || answer.status === 401) return "out";
    if (answer.status === 403) return "other";
    if (!answer.ok) return null;
    try { return await answer.json(); } catch { return null; }
  }

  const ADDRESS = { cost: "/expenses/new/", ride: "/expenses/ride/", paper: "/tray/drop/" };
  /* A worker has no page, and no words but those written here. */
  const spoken = (text, figures) => (self.said ? self.said(text, figures) : text.replace("{status}", figures ? figures.status : ""));
  /* What the answer says was wrong, as the full page says it. */
  const faults = (text) => {
    /* A worker reads no pages. */
    if (typeof DOMParser === "undefined") return spoken("It was not taken. Press Change and keep it again: then it says why.");
    const page = new DOMParser().parseFromString(text, "text/html");
    const found = [...page.querySelectorAll("#page .error, #page .message-error")].map((each) => {
      const label = each.closest(".field") && each.closest(".field").querySelector("label");
      return `${label ? `${label.textContent.replace("*", "").trim()}: ` : ""}${each.textContent.trim()}`;
    });
    return [...new Set(found)].join(" ") || spoken("It was not taken. Finish it on the full page.");
  };

  /* Sends one; true where it is done with, false where the signal is gone. */
  async function send(row, csrf) {
    const body = new FormData();
    for (const [name, value] of Object.entries(row.fields)) body.set(name, value);
    body.set("once", row.id);
    if (row.file) body.append("files", row.file, row.name);
    const headers = { "X-CSRFToken": csrf };
    if (row.kind === "paper") headers["X-One-By-One"] = "1";
    let answer;
    try { answer = await fetch(ADDRESS[row.kind], { method: "POST", body, headers, cache: "no-store" }); } catch { return false; }
    if (answer.status >= 500 || answer.status === 429) return false;
    let why = "";
    if (row.kind === "paper" && answer.ok) {
      try { const said = await answer.json(); /* The very same file is there: it came the first time. */ why = said.taken || said.here ? "" : said.faults.join(" "); } catch { return false; }
    } else if (!answer.ok) why = answer.status === 422 ? faults(await answer.text()) : spoken("It was refused ({status}). Open the full pages.", { status: answer.status });
    if (why) await put({ ...row, problem: why });
    else await drop(row.id);
    return true;
  }

  async function all(told) {
    const said = await ask();
    if (said && typeof said === "object") {
      await keep({ ...said, kept: Date.now() });
      for (const row of await waiting()) {
        /* What was shared belongs to whoever opens it first. */
        const own = row.member === null ? { ...row, member: said.who.id } : row;
        if (own !== row) await put(own);
        if (own.problem || own.member !== said.who.id) continue;
        if (!(await send(own, said.csrf))) break;
        await told(said);
      }
    }
    await told(said);
    return said;
  }
  const go = (told) => (navigator.locks ? navigator.locks.request("wainwright-away", () => all(told)) : all(told));
  self.away = { TAG: "wainwright-away", waiting, put, drop, kept, keep, go };
})();
