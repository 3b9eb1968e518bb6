// The load register, edited in place. The server reads, checks and computes; here is only what was typed and whether it is saved.
document.addEventListener("alpine:init", () => {
  window.Alpine.data("register", () => ({
    // Edits of one load follow each other, so that each is made on the version the one before it left.
    queues: new Map(),

    enter(cell) {
      this.save(cell);
      const cells = [...this.$root.querySelectorAll(".cell")];
      const next = cells[cells.indexOf(cell) + 1];
      if (next) { next.focus(); if (next.select) next.select(); }
    },

    restore(cell) {
      cell.value = cell.dataset.kept;
      this.say(cell, "");
    },

    save(cell) {
      if (cell.value === cell.dataset.kept) { this.say(cell, ""); return; }
      if (cell.dataset.sending === cell.value) return;
      const row = cell.closest("tr");
      const before = this.queues.get(row) || Promise.resolve();
      cell.dataset.sending = cell.value;
      this.queues.set(row, before.then(() => this.send(row, cell, cell.value)));
    },

    async send(row, cell, text) {
      row.setAttribute("aria-busy", "true");
      const body = new FormData();
      body.set("cell", cell.dataset.cell);
      body.set("text", text);
      body.set("version", row.dataset.version);
      const { status, data } = await window.ypomoni.send(row.dataset.save, body);
      row.removeAttribute("aria-busy");
      delete cell.dataset.sending;
      if (status === 200) {
        if (cell.value === text) { cell.value = data.row.cells[cell.dataset.cell]; cell.dataset.kept = cell.value; this.say(cell, ""); }
        this.take(row, data.row);
        window.ypomoni.tell("ypomoni-regions", data.regions);
      } else if (status === 409 && data.row) {
        this.ask(row, cell, data);
        window.ypomoni.tell("ypomoni-regions", data.regions);
      } else {
        this.say(cell, data.message || "It is not saved. Press Enter to try again.");
      }
    },

    // What the server holds goes into every cell that has not been changed here.
    take(row, state) {
      row.dataset.version = state.version;
      row.querySelector("[data-more]").textContent = state.more;
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
      offer("Keep theirs", () => { this.restore(cell); cell.focus(); });
      offer("Save mine", () => { cell.value = data.yours; this.save(cell); cell.focus(); });
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
  }));
});
