// A form that is filled in beside the bench: what cannot be sent stays on this phone, marked, and is sent once when the connection is back.
document.addEventListener("alpine:init", () => {
  window.Alpine.data("queue", () => ({
    waiting: [],
    told: "",
    message: "",
    busy: false,
    flushing: false,
    sender: null,

    init() {
      this.waiting = this.kept();
      window.addEventListener("online", () => this.flush());
      setInterval(() => this.flush(), 15000);
      if ("serviceWorker" in navigator) this.keepPage();
      this.flush();
    },

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

    put(name, value) { const field = this.$refs.form.elements[name]; if (field) { field.value = value; field.focus(); } },

    newToken() {
      const bytes = crypto.getRandomValues(new Uint8Array(16));
      return [...bytes].map((b) => b.toString(16).padStart(2, "0")).join("");
    },

    shelf() { return `ypomoni-unsent-${this.$root.dataset.account}-${this.$root.dataset.shelf}`; },
    kept() { try { return JSON.parse(localStorage.getItem(this.shelf()) || "[]"); } catch { return []; } },
    save() { localStorage.setItem(this.shelf(), JSON.stringify(this.waiting)); },

    headline() {
      const what = this.$root.dataset.what;
      return this.waiting.length === 1 ? `1 ${what} is not sent yet` : `${this.waiting.length} ${what}s are not sent yet`;
    },

    // Which button sent it counts as a field, as it does without a script.
    by(event) { this.sender = event.submitter || null; return this.store(); },

    fields() {
      const found = {};
      for (const [name, value] of new FormData(this.$refs.form)) if (name !== "csrf_token") found[name] = value;
      if (this.sender && this.sender.name) found[this.sender.name] = this.sender.value;
      found.read_at = new Date().toISOString();
      return found;
    },

    inWords() {
      const seen = ["name", "label", "volts", "rest_v", "current_a", "current", "load_v"].map((name) => this.$refs.form.elements[name]).filter((field) => field && field.value);
      return seen.map((field) => field.value).join(", ");
    },

    async post(item) {
      const body = new FormData();
      for (const [name, value] of Object.entries({ ...item.fields, token: item.token })) body.set(name, value);
      return window.ypomoni.send(item.address, body);
    },

    async store() {
      if (this.busy) return;
      this.clear();
      const item = { token: this.newToken(), address: this.$refs.form.action, page: location.pathname, fields: this.fields(), words: this.inWords(), mark: "not sent", message: "" };
      this.busy = true;
      const { status, data } = await this.post(item);
      this.busy = false;
      if (status === 0 || status === 503) {
        this.waiting = [...this.kept(), item];
        this.save();
        this.$refs.form.reset();
        this.told = "No connection: it is kept on this phone, and not sent yet.";
        return;
      }
      if (status === 200) { this.told = data.words; window.location.assign(data.go || location.pathname); return; }
      this.complain(data);
    },

    complain(data) {
      for (const [name, text] of Object.entries(data.faults || {})) this.fault(name, text);
      this.message = data.message || (data.faults ? "" : "It was not kept. What you typed is still here.");
    },

    fault(name, text) {
      const field = this.$refs.form.elements[name];
      const entry = field && field.closest && field.closest(".entry");
      if (!entry) { this.message = text; return; }
      entry.classList.add("entry-wrong");
      const help = entry.querySelector(".entry-help");
      help.dataset.hint = help.dataset.hint || help.textContent;
      help.textContent = text;
      help.classList.add("entry-error");
      field.setAttribute("aria-invalid", "true");
      field.focus();
    },

    clear() {
      this.message = "";
      this.told = "";
      for (const entry of this.$refs.form.querySelectorAll(".entry-wrong")) {
        entry.classList.remove("entry-wrong");
        const help = entry.querySelector(".entry-help");
        if (help.dataset.hint) help.textContent = help.dataset.hint;
        help.classList.remove("entry-error");
        entry.querySelectorAll("[aria-invalid]").forEach((field) => field.setAttribute("aria-invalid", "false"));
      }
    },

    async flush() {
      this.waiting = this.kept();
      if (this.flushing || !this.waiting.length || navigator.onLine === false) return;
      this.flushing = true;
      let sent = 0;
      for (const item of [...this.waiting]) {
        await this.renewed();
        const { status, data } = await this.post(item);
        if (status === 200) {
          sent += 1;
          this.waiting = this.kept().filter((other) => other.token !== item.token);
          this.save();
          this.told = data.words;
        } else if (status === 0 || status >= 500) {
          break;
        } else {
          const message = status === 401 ? "You are signed out: sign in again, it is sent then." : data.faults && Object.keys(data.faults).length ? Object.values(data.faults).join(" ") : data.message;
          this.waiting = this.kept().map((other) => (other.token === item.token ? { ...other, mark: "not sent, it needs you", message } : other));
          this.save();
        }
      }
      this.flushing = false;
      if (sent && !this.waiting.length && !this.isTyped()) window.location.assign(location.pathname);
    },

    isTyped() { return [...this.$refs.form.elements].some((field) => field.type === "text" && field.value !== field.defaultValue); },

    async renewed() {
      try {
        const answer = await fetch("/key", { headers: { "X-Requested-With": "ypomoni" } });
        if (answer.ok) document.querySelector("meta[name=csrf]").content = (await answer.json()).key;
      } catch { /* no connection: the sending that follows says so */ }
    },

    amend(item) {
      for (const [name, value] of Object.entries(item.fields)) {
        const field = this.$refs.form.elements[name];
        if (!field) continue;
        if (field.type === "checkbox") field.checked = true; else field.value = value;
      }
      this.waiting = this.kept().filter((other) => other.token !== item.token);
      this.save();
    },
  }));
});
