// The load register, edited in place. The server reads, checks and computes; here is only what was typed and whether it is saved.
document.addEventListener("alpine:init", () => {
  window.Alpine.data("register", () => ({
    // Edits of one load follow each other, so that each is made on the version the one before it left.
    queues: new Map(),
    later: 0,

    // -- keys and changes, wherever in the table ---------------------------------------------------------------------------------

    key(event) {
      const at = event.target;
      if (at.matches(".filter-text, [data-verb]")) { if (event.key === "Enter" && at.matches("input[data-verb]")) { event.preventDefault(); this.bulk(at.dataset.verb, at.value); } return; }
      const row = at.closest("tr[data-load]");
      if (!row) return;
      if ((event.ctrlKey || event.metaKey) && event.key === "d") { event.preventDefault(); this.double(row); return; }
      if ((event.ctrlKey || event.metaKey) && event.key === "Enter") { event.preventDefault(); row.querySelector(".register-do [data-open]").click(); return; }
      if (!at.matches(".cell")) return;
      if (event.key === "Enter") { event.preventDefault(); this.enter(at); }
      if (event.key === "Escape") { event.preventDefault(); this.restore(at); }
      if (!at.matches("select") && (event.key === "ArrowDown" || event.key === "ArrowUp")) { event.preventDefault(); this.move(at, row, event.key === "ArrowDown"); }
    },

    changed(event) {
      const at = event.target;
      if (at.matches(".cell")) this.save(at);
      if (at.matches("[data-all]")) { for (const box of this.boxes()) box.checked = at.checked; }
      if (at.matches("[data-all], [data-pick]")) this.count();
      if (at.matches("select[data-verb]") && at.value !== "~") this.bulk(at.dataset.verb, at.value);
    },

    enter(cell) {
      this.save(cell);
      const cells = [...this.$root.querySelectorAll(".cell")];
      const next = cells[cells.indexOf(cell) + 1];
      if (next) { next.focus(); if (next.select) next.select(); }
    },

    move(cell, row, down) {
      let next = down ? row.nextElementSibling : row.previousElementSibling;
      const found = next && next.querySelector(`[data-cell="${cell.dataset.cell}"]`);
      if (found) { this.save(cell); found.focus(); if (found.select) found.select(); }
    },

    restore(cell) {
      cell.value = cell.dataset.kept;
      this.say(cell, "");
    },

    // -- one cell ----------------------------------------------------------------------------------------------------------------

    save(cell, sure) {
      if (cell.value === cell.dataset.kept) { this.say(cell, ""); return; }
      if (cell.dataset.sending === cell.value) return;
      const row = cell.closest("tr");
      const before = this.queues.get(row) || Promise.resolve();
      cell.dataset.sending = cell.value;
      this.queues.set(row, before.then(() => this.send(row, cell, cell.value, sure)));
    },

    async send(row, cell, text, sure) {
      row.setAttribute("aria-busy", "true");
      const body = new FormData();
      body.set("cell", cell.dataset.cell);
      body.set("text", text);
      body.set("version", row.dataset.version);
      if (sure) body.set("sure", "1");
      const { status, data } = await window.ypomoni.send(row.dataset.save, body);
      row.removeAttribute("aria-busy");
      delete cell.dataset.sending;
      if (status === 200) {
        if (cell.value === text) { cell.value = data.row.cells[cell.dataset.cell]; cell.dataset.kept = cell.value; this.say(cell, ""); }
        this.take(row, data.row);
        window.ypomoni.tell("ypomoni-done", data.undo);
        if (data.regions) window.ypomoni.tell("ypomoni-regions", data.regions);
        else this.follow();
      } else if (status === 409 && data.row) {
        this.ask(row, cell, data);
        if (data.regions) window.ypomoni.tell("ypomoni-regions", data.regions);
      } else {
        this.say(cell, data.message || "It is not saved. Press Enter to try again.");
      }
    },

    // In a large register the figures follow after the last of several quick edits.
    follow() {
      clearTimeout(this.later);
      this.later = setTimeout(() => {
        const names = window.ypomoni.looking().regions.split(",").filter((name) => name !== "register").join(",");
        window.ypomoni.look({}, names);
      }, 250);
    },

    // What the server holds goes into every cell that has not been changed here.
    take(row, state) {
      row.dataset.version = state.version;
      row.querySelector("[data-more]").textContent = state.more;
      const average = row.querySelector(".c-average .figure");
      if (average && state.average) average.textContent = state.average;
      for (const other of row.querySelectorAll(".cell")) {
        const kept = state.cells[other.dataset.cell];
        if (other.value === other.dataset.kept) other.value = kept;
        other.dataset.kept = kept;
      }
    },

    ask(row, cell, data) {
      this.take(row, data.row);
      const line = this.say(cell, data.message);
      const offer = (words, act) => {
        const button = document.createElement("button");
        button.type = "button";
        button.className = "plainbutton";
        button.textContent = words;
        button.addEventListener("click", act);
        line.append(document.createElement("br"), button);
        return button;
      };
      offer(data.question ? "Keep what stood here" : "Keep theirs", () => { this.restore(cell); cell.focus(); });
      offer(data.question ? "It is right: save it" : "Save mine", () => { cell.value = data.yours; this.save(cell, true); cell.focus(); });
    },

    say(cell, message) {
      const id = "error-" + cell.closest("tr").dataset.load + "-" + cell.dataset.cell;
      let line = document.getElementById(id);
      if (!message) {
        if (line) line.remove();
        cell.removeAttribute("aria-invalid");
        cell.removeAttribute("aria-describedby");
        return null;
      }
      if (!line) {
        line = document.createElement("span");
        line.id = id;
        line.className = "cell-error";
        line.setAttribute("role", "alert");
        cell.after(line);
      }
      line.textContent = message;
      cell.setAttribute("aria-invalid", "true");
      cell.setAttribute("aria-describedby", id);
      return line;
    },

    // -- many at once ------------------------------------------------------------------------------------------------------------

    boxes() { return [...this.$root.querySelectorAll("[data-pick]")]; },
    picked() { return this.boxes().filter((box) => box.checked).map((box) => box.closest("tr")); },

    count() {
      const bar = this.$root.querySelector("[data-bulkbar]");
      const rows = this.picked();
      bar.hidden = rows.length === 0;
      bar.querySelector("[data-count]").textContent = `${rows.length} selected`;
    },

    init() {
      this.$root.addEventListener("click", (event) => {
        const at = event.target.closest("button[data-verb]");
        if (at) this.bulk(at.dataset.verb, "");
      });
    },

    bulk(verb, value) { this.change(this.picked(), verb, value); },
    double(row) { this.change([row], "duplicate", ""); },

    async change(rows, verb, value) {
      const body = new FormData();
      body.set("verb", verb);
      body.set("value", value);
      for (const row of rows) body.append("load", row.dataset.load + ":" + row.dataset.version);
      const { status, data } = await window.ypomoni.send(this.$root.dataset.bulk, body);
      if (status === 200) {
        window.ypomoni.tell("ypomoni-done", data.undo);
        window.ypomoni.tell("ypomoni-regions", data.regions);
      }
      window.ypomoni.tell("ypomoni-notice", { text: data.notice || data.message || "That did not work.", undo: data.undo });
    },

    // -- what is shown -----------------------------------------------------------------------------------------------------------

    filter(root) {
      const changes = {};
      for (const field of root.querySelectorAll(".filter [name]")) changes[field.name] = field.value;
      changes.show_shown = "";
      window.ypomoni.look(changes, "register");
    },

    unfilter() {
      window.ypomoni.look({ show_text: "", show_supply: "", show_known: "", show_purpose: "", show_place: "", show_shown: "" }, "register");
    },
  }));

  window.Alpine.data("picker", () => ({
    find(text) {
      const words = text.toLowerCase().split(/\s+/).filter(Boolean);
      for (const item of this.$root.querySelectorAll("[data-words]")) item.hidden = !words.every((word) => item.dataset.words.includes(word));
      for (const head of this.$root.querySelectorAll("[data-head]")) head.hidden = ![...head.nextElementSibling.children].some((item) => !item.hidden);
    },
  }));
});
