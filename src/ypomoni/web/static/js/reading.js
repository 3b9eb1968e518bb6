// Taking a reading, also without signal: what cannot be sent stays here, marked, and is sent once when the connection is back.
document.addEventListener("alpine:init", () => {
  window.Alpine.data("reading", () => ({
    all: {},
    hooks: { by_kind: {}, read: "" },
    facts: { expected: {}, advice: {}, kind: "", name: "" },
    state: "standby",
    mains: "",
    how: "series",
    meter: "",
    message: "",
    told: "",
    questions: [],
    busy: false,
    flushing: false,
    waiting: [],
    token: "",

    init() {
      const data = document.getElementById("point-facts");
      this.all = data ? JSON.parse(data.textContent) : {};
      const hooks = document.getElementById("hook-steps");
      if (hooks) this.hooks = JSON.parse(hooks.textContent);
      this.waiting = this.kept();
      this.token = this.newToken();
      if (this.$refs.form) {
        this.remember();
        this.$refs.form.addEventListener("change", () => this.look());
        this.moved();
      }
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
      } catch { /* this browser keeps nothing; readings still wait on the phone */ }
    },

    // -- the form ----------------------------------------------------------------------------------------------------------------

    value(name) {
      const field = this.$refs.form.elements[name];
      return field ? field.value : "";
    },

    look() {
      this.state = this.value("state");
      this.mains = this.value("mains");
      this.meter = this.value("instrument");
      this.how = this.value("hookup");
      localStorage.setItem("ypomoni-read", JSON.stringify({ state: this.state, unit: this.value("unit"), instrument: this.meter }));
    },

    remember() {
      const form = this.$refs.form;
      let last = {};
      try { last = JSON.parse(localStorage.getItem("ypomoni-read") || "{}"); } catch { last = {}; }
      for (const name of ["state", "unit"]) {
        const option = [...form.elements[name]].find((radio) => radio.value === last[name]);
        if (option) option.checked = true;
      }
      if (last.instrument && [...form.elements.instrument.options].some((o) => o.value === last.instrument)) form.elements.instrument.value = last.instrument;
    },

    moved() {
      this.facts = this.all[this.value("point")] || { expected: {}, advice: {}, kind: "", name: "" };
      if (this.facts.kind === "battery") {
        const off = [...this.$refs.form.elements.mains].find((radio) => radio.value === "off");
        if (off && !this.value("mains")) off.checked = true;
      }
      this.metered();
    },

    metered() {
      const advice = this.facts.advice[this.value("instrument")] || this.facts.advice[""];
      if (advice) {
        const option = [...this.$refs.form.elements.hookup].find((radio) => radio.value === advice.hookup);
        if (option) option.checked = true;
      }
      this.look();
    },

    advice() { return this.facts.advice[this.meter] || this.facts.advice[""] || { jack: "", cautions: [] }; },
    jack() { return this.how === "series" && this.advice().jack ? "Use " + this.advice().jack + "." : ""; },
    // Only a meter in series is bound to its jack; the line that says READ is told by what the jack allows.
    steps() {
      const kinds = this.hooks.by_kind[this.facts.kind] || {};
      const lines = (kinds[this.how] || {})[String(Boolean(this.facts.has_locks))] || [];
      const reading = this.how === "series" && this.advice().reading ? this.advice().reading : this.hooks.read;
      return lines.map((line) => (line === "READ" ? reading : line));
    },
    cautions() { return this.how === "series" || this.how === "clamp" ? this.advice().cautions : []; },
    isCharge() { return this.facts.kind === "battery" && this.mains === "on"; },

    expected() {
      const found = this.facts.expected[this.state];
      return found && !this.isCharge() ? `Expected here: ${found} (${this.facts.kind_word.toLowerCase()}, by what is known).` : "";
    },

    turn() {
      const field = this.$refs.form.elements.value;
      field.value = field.value.trim().startsWith("-") ? field.value.trim().slice(1) : "-" + field.value.trim();
      field.focus();
    },

    // -- storing -----------------------------------------------------------------------------------------------------------------

    newToken() {
      const bytes = crypto.getRandomValues(new Uint8Array(16));
      return [...bytes].map((b) => b.toString(16).padStart(2, "0")).join("");
    },

    fields() {
      const found = {};
      for (const [name, value] of new FormData(this.$refs.form)) found[name] = value;
      found.taken_at = new Date().toISOString();
      return found;
    },

    async store(sure) {
      if (this.busy) return;
      this.clear();
      const item = { token: this.token, fields: this.fields(), words: this.inWords(), page: location.pathname, mark: "not sent", message: "" };
      if (!item.fields.value.trim()) { this.fault("value", "must not be empty: write what the meter shows."); return; }
      this.busy = true;
      const { status, data } = await this.post(item, { sure: sure ? "1" : "" });
      this.busy = false;
      if (status === 0 || status === 503) { this.keep(item); this.fresh(""); this.told = "No connection: the reading is kept on this phone, not sent yet."; return; }
      this.settled(status, data);
    },

    sure() { this.store(true); },
    mend() { this.questions = []; const field = this.$refs.form.elements.value; field.focus(); field.select(); },

    async post(item, more) {
      const body = new FormData();
      for (const [name, value] of Object.entries({ ...item.fields, ...more, token: item.token })) body.set(name, value);
      return window.ypomoni.send(this.$root.dataset.store, body);
    },

    settled(status, data) {
      if (status === 200) {
        this.told = data.words;
        if (data.regions) window.ypomoni.tell("ypomoni-regions", data.regions);
        this.fresh(data.next);
        return;
      }
      if (status === 409 && data.questions) { this.questions = data.questions; this.$nextTick(() => this.$refs.ask.scrollIntoView({ block: "center" })); return; }
      if (data.faults) {
        for (const [name, text] of Object.entries(data.faults)) this.fault(name, text);
        this.message = data.message || "";
        return;
      }
      this.message = data.message || "It was not stored. What you typed is still here.";
    },

    // After a reading the next point is offered; state, unit and instrument stay.
    fresh(next) {
      const form = this.$refs.form;
      for (const name of ["value", "least", "greatest", "remark"]) form.elements[name].value = "";
      if (form.elements.supersedes) { form.elements.supersedes.closest(".ask").remove(); }
      this.token = this.newToken();
      if (next && this.all[next]) { form.elements.point.value = next; this.moved(); }
      window.scrollTo({ top: 0 });
    },

    clear() {
      this.message = "";
      this.told = "";
      this.questions = [];
      for (const entry of this.$refs.form.querySelectorAll(".entry-wrong")) {
        entry.classList.remove("entry-wrong");
        const help = entry.querySelector(".entry-help");
        if (help) { help.textContent = help.dataset.hint || ""; help.classList.remove("entry-error"); }
        const field = entry.querySelector("input, select");
        if (field) field.removeAttribute("aria-invalid");
      }
    },

    fault(name, text) {
      const entry = this.$refs.form.querySelector(`[data-entry="${name}"]`);
      if (!entry) { this.message = text; return; }
      entry.classList.add("entry-wrong");
      const fold = entry.closest("details");
      if (fold) fold.open = true;
      const help = entry.querySelector(".entry-help:last-of-type") || entry;
      help.textContent = text;
      help.classList.add("entry-error");
      const field = entry.querySelector("input:not([type=radio]), select");
      if (field) { field.setAttribute("aria-invalid", "true"); field.focus(); }
    },

    inWords() {
      const f = this.fields();
      const value = /[a-zµ]/i.test(f.value) ? f.value : `${f.value} ${f.unit}`;
      return `${value} at ${this.facts.name}, ${f.state}`;
    },

    // -- what waits on this phone ------------------------------------------------------------------------------------------------

    shelf() { return `ypomoni-unsent-${this.$root.dataset.account}-${this.$root.dataset.plan}`; },

    kept() {
      try { return JSON.parse(localStorage.getItem(this.shelf()) || "[]"); } catch { return []; }
    },

    keep(item) { this.waiting = [...this.kept().filter((other) => other.token !== item.token), item]; this.put(); },
    put() { localStorage.setItem(this.shelf(), JSON.stringify(this.waiting)); },

    headline() { return this.waiting.length === 1 ? "1 reading is not sent yet" : `${this.waiting.length} readings are not sent yet`; },

    async flush() {
      this.waiting = this.kept();
      if (this.flushing || !this.waiting.length || navigator.onLine === false) return;
      this.flushing = true;
      for (const item of [...this.waiting]) {
        await this.renewed();
        // A second page of this browser may have sent it meanwhile; its token makes that harmless.
        const { status, data } = await this.post(item, { queued: "1" });
        if (status === 200) {
          this.waiting = this.kept().filter((other) => other.token !== item.token);
          this.put();
          this.told = data.words;
          if (data.regions) window.ypomoni.tell("ypomoni-regions", data.regions);
        } else if (status === 0 || status >= 500) {
          break;
        } else {
          const message = status === 401 ? "You are signed out: sign in again, it is sent then." : data.faults ? Object.values(data.faults).join(" ") : data.message;
          this.waiting = this.kept().map((other) => (other.token === item.token ? { ...other, mark: "not sent, it needs you", message } : other));
          this.put();
        }
      }
      this.flushing = false;
    },

    // The page may come from before: its key to the server is taken anew before anything is sent.
    async renewed() {
      try {
        const answer = await fetch("/key", { headers: { "X-Requested-With": "ypomoni" } });
        if (answer.ok) document.querySelector("meta[name=csrf]").content = (await answer.json()).key;
      } catch { /* no connection: the sending that follows says so */ }
    },

    amend(item) {
      const form = this.$refs.form;
      for (const [name, value] of Object.entries(item.fields)) {
        const field = form.elements[name];
        if (!field) continue;
        if (field instanceof RadioNodeList) { for (const radio of field) radio.checked = radio.value === value; } else field.value = value;
      }
      this.waiting = this.kept().filter((other) => other.token !== item.token);
      this.put();
      this.token = item.token;
      this.moved();
    },
  }));
});
