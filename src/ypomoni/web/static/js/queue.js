// A form that is filled in beside the bench: what cannot be sent stays on this phone, marked, and is sent once when the connection is back.
document.addEventListener("alpine:init", () => {
  window.Alpine.data("queue", () => ({
    ...window.ypomoni.outbox,
    message: "",
    busy: false,
    sender: null,

    init() { this.openOutbox(); },

    put(name, value) { const field = this.$refs.form.elements[name]; if (field) { field.value = value; field.focus(); } },

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

    async post(item, more) {
      const body = new FormData();
      for (const [name, value] of Object.entries({ ...item.fields, ...more, token: item.token })) body.set(name, value);
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
        this.keep(item);
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

    emptied() { if (!this.isTyped()) window.location.assign(location.pathname); },

    isTyped() { return [...this.$refs.form.elements].some((field) => field.type === "text" && field.value !== field.defaultValue); },

    amend(item) {
      for (const [name, value] of Object.entries(item.fields)) {
        const field = this.$refs.form.elements[name];
        if (!field) continue;
        if (field.type === "checkbox") field.checked = true; else field.value = value;
      }
      this.drop(item);
    },
  }));
});
