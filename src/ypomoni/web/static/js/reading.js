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
    ...window.ypomoni.outbox,
    message: "",
    questions: [],
    busy: false,
    token: "",

    init() {
      const data = document.getElementById("point-facts");
      this.all = data ? JSON.parse(data.textContent) : {};
      const hooks = document.getElementById("hook-steps");
      if (hooks) this.hooks = JSON.parse(hooks.textContent);
      this.token = this.newToken();
      if (this.$refs.form) {
        this.remember();
        this.$refs.form.addEventListener("change", () => this.look());
        this.moved();
      }
      this.openOutbox();
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

    cameThrough(data) { if (data.regions) window.ypomoni.tell("ypomoni-regions", data.regions); },

    amend(item) {
      const form = this.$refs.form;
      for (const [name, value] of Object.entries(item.fields)) {
        const field = form.elements[name];
        if (!field) continue;
        if (field instanceof RadioNodeList) { for (const radio of field) radio.checked = radio.value === value; } else field.value = value;
      }
      this.drop(item);
      this.token = item.token;
      this.moved();
    },
  }));
});
