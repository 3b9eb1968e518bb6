// What could not be sent: it waits on this phone, marked, and is sent once when the connection is back. Spread into a page's own component, which
// gives post(item), a form as $refs.form, and, where it wants to know, cameThrough(data) and emptied().
window.ypomoni.outbox = {
  waiting: [],
  told: "",
  flushing: false,

  openOutbox() {
    this.waiting = this.kept();
    window.addEventListener("online", () => this.flush());
    setInterval(() => this.flush(), 15000);
    if ("serviceWorker" in navigator) this.keepPage();
    this.flush();
  },

  // The worker serves this page without signal; what the page was made of before the worker was there is kept now.
  async keepPage() {
    try {
      await navigator.serviceWorker.register(this.$root.dataset.worker);
      await navigator.serviceWorker.ready;
      const shelf = await caches.open("ypomoni-reading-1");
      const page = await fetch(location.pathname);
      if (page.ok && !page.redirected) await shelf.put(location.pathname, page);
      const used = performance.getEntriesByType("resource").map((entry) => entry.name).filter((name) => new URL(name).pathname.startsWith("/static/"));
      for (const address of used) if (!(await shelf.match(address))) await shelf.add(address);
      document.documentElement.dataset.offline = "ready";
    } catch { /* this browser keeps nothing; what is typed still waits on the phone */ }
  },

  newToken() {
    const bytes = crypto.getRandomValues(new Uint8Array(16));
    return [...bytes].map((b) => b.toString(16).padStart(2, "0")).join("");
  },

  shelf() { return `ypomoni-unsent-${this.$root.dataset.account}-${this.$root.dataset.shelf}`; },
  kept() { try { return JSON.parse(localStorage.getItem(this.shelf()) || "[]"); } catch { return []; } },
  save() { localStorage.setItem(this.shelf(), JSON.stringify(this.waiting)); },
  keep(item) { this.drop(item); this.waiting = [...this.waiting, item]; this.save(); },
  drop(item) { this.waiting = this.kept().filter((other) => other.token !== item.token); this.save(); },

  headline() {
    const what = this.$root.dataset.what;
    return this.waiting.length === 1 ? `1 ${what} is not sent yet` : `${this.waiting.length} ${what}s are not sent yet`;
  },

  async flush() {
    this.waiting = this.kept();
    if (this.flushing || !this.waiting.length || navigator.onLine === false) return;
    this.flushing = true;
    let sent = 0;
    for (const item of [...this.waiting]) {
      await this.renewed();
      // A second page of this browser may have sent it meanwhile; its token makes that harmless.
      const { status, data } = await this.post(item, { queued: "1" });
      if (status === 200) {
        sent += 1;
        this.drop(item);
        this.told = data.words;
        if (this.cameThrough) this.cameThrough(data);
      } else if (status === 0 || status >= 500) {
        break;
      } else {
        const faults = Object.values(data.faults || {});
        const message = status === 401 ? "You are signed out: sign in again, it is sent then." : faults.length ? faults.join(" ") : data.message;
        this.waiting = this.kept().map((other) => (other.token === item.token ? { ...other, mark: "not sent, it needs you", message } : other));
        this.save();
      }
    }
    this.flushing = false;
    if (sent && !this.waiting.length && this.emptied) this.emptied();
  },

  // The page may come from before: its key to the server is taken anew before anything is sent.
  async renewed() {
    try {
      const answer = await fetch("/key", { headers: { "X-Requested-With": "ypomoni" } });
      if (answer.ok) document.querySelector("meta[name=csrf]").content = (await answer.json()).key;
    } catch { /* no connection: the sending that follows says so */ }
  },
};
