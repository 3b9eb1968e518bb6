// The page around everything: sheets that slide in, regions that follow the server, notices with an undo.
document.addEventListener("alpine:init", () => {
  const sources = new WeakMap();

  window.Alpine.data("workbench", () => ({
    notice: { text: "", undo: "" },
    opener: null,
    drawn: {},
    // What was done on this page, the last thing last, each with the address that takes it back.
    done: [],

    // Readings that wait on this phone, of whichever plan: said on every page but their own.
    elsewhere: { count: 0, page: "" },

    lookForUnsent() {
      const prefix = `ypomoni-unsent-${this.$root.dataset.account}-`;
      for (const [name, text] of Object.entries(localStorage)) {
        if (!name.startsWith(prefix)) continue;
        let items = [];
        try { items = JSON.parse(text); } catch { items = []; }
        const others = items.filter((item) => item.page && item.page !== location.pathname);
        if (others.length) this.elsewhere = { count: this.elsewhere.count + others.length, page: others[0].page };
      }
    },

    saidElsewhere() { return this.elsewhere.count === 1 ? "1 reading on this phone is not sent yet." : `${this.elsewhere.count} readings on this phone are not sent yet.`; },

    // A large register is shown before its figures: they are asked for now. A register somebody is typing in is left alone.
    init() {
      if (this.$root.dataset.account) this.lookForUnsent();
      for (const region of document.querySelectorAll("[id^=region-][data-merge]")) this.noted(region);
      const page = document.getElementById("page");
      if (!page || page.dataset.waiting === undefined) return;
      const names = window.ypomoni.looking().regions.split(",").filter((name) => name !== "register").join(",");
      window.ypomoni.look({}, names).then((regions) => {
        if (!regions) this.tell({ text: "The figures did not come. Reload the page to try again." });
        const typing = [...document.querySelectorAll(".cell")].some((cell) => cell.value !== cell.dataset.kept);
        if (regions && !typing && document.querySelector(".register-wide")) window.ypomoni.look({}, "register");
      });
    },

    async open(address) {
      this.opener = document.activeElement;
      const { status, data } = await window.ypomoni.send(address);
      if (status === 200) this.show(data.html);
      else this.tell({ text: data.message || "This cannot be shown just now." });
    },

    show(html) {
      const sheet = document.querySelector("dialog.sheet");
      document.querySelector(".sheet-body").innerHTML = html;
      if (!sheet.open) sheet.showModal();
      sheet.classList.toggle("sheet-wide", Boolean(sheet.querySelector(".panel")));
      // What is wrong first, then what is asked for first; a sheet to read is entered at its way out.
      const wanted = ["[aria-invalid=true]", ".input:not([type=hidden])", ".sheet-close"];
      const first = wanted.map((mark) => [...sheet.querySelectorAll(mark)].find((part) => part.offsetParent)).find(Boolean);
      if (first) first.focus();
    },

    shut() { document.querySelector("dialog.sheet").close(); },

    left() {
      document.querySelector(".sheet-body").innerHTML = "";
      const back = this.opener && this.opener.isConnected ? this.opener : document.getElementById("main");
      back.focus();
    },

    async submit(form, event) {
      const body = new FormData(form, event.submitter);
      await this.settle(await window.ypomoni.send(form.dataset.save, body), form);
    },

    // Figures that go together are put into their fields at once; each can still be changed.
    preset(button) {
      const form = button.closest("form");
      for (const [name, text] of Object.entries(button.dataset)) if (form.elements[name]) form.elements[name].value = text;
    },

    async takeAway(button) {
      const body = new FormData();
      body.set("version", button.dataset.version);
      await this.settle(await window.ypomoni.send(button.dataset.post, body), button.closest("form"));
    },

    async post(address) {
      await this.settle(await window.ypomoni.send(address, new FormData()), null);
    },

    insist() { this.shut(); window.ypomoni.tell("ypomoni-insist"); },

    async undo() {
      const page = document.getElementById("page");
      if (!this.notice.undo && page && page.dataset.undoAt) { this.hush(); await this.post(page.dataset.undoAt); return; }
      const address = this.notice.undo || this.done.pop();
      this.done = this.done.filter((other) => other !== address);
      this.hush();
      if (address) await this.post(address);
    },

    lookAt(changes, names) { window.ypomoni.look(changes, names); },

    seek() { window.ypomoni.tell("ypomoni-seek"); },

    // A menu shuts when something else is touched.
    outside(event) {
      for (const menu of document.querySelectorAll("details.menu[open]")) if (!menu.contains(event.target) || event.target.closest(".menu-body a, .menu-body button")) menu.open = false;
    },

    // A letter for each stage, r for the register, / finds anything, ? lists the keys. Nothing while somebody types.
    letter(event) {
      if (event.ctrlKey || event.metaKey || event.altKey || event.defaultPrevented) return;
      if (event.target.matches("input:not([type=checkbox]):not([type=radio]), textarea, select, [contenteditable]") || document.querySelector("dialog[open]")) return;
      const asked = event.key === "?" ? document.body.dataset.keys : "";
      const stage = /^[a-z]$/.test(event.key) ? document.querySelector(`.stages [data-key="${event.key}"]`) : null;
      const panel = document.querySelector(`[data-panel-key="${event.key}"]`);
      if (event.key === "/") { event.preventDefault(); this.seek(); }
      else if (asked) { event.preventDefault(); this.open(asked); }
      else if (stage) { event.preventDefault(); stage.click(); }
      else if (panel) { event.preventDefault(); panel.click(); }
    },

    key(event) {
      const menu = document.querySelector("details.menu[open]");
      if (event.key === "Escape" && menu) { menu.open = false; menu.querySelector("summary").focus(); return; }
      this.letter(event);
      const typing = event.target.matches("input:not([type=checkbox]), textarea, select");
      const dirty = typing && event.target.dataset.kept !== undefined && event.target.value !== event.target.dataset.kept;
      if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === "z" && (!typing || (event.target.dataset.kept !== undefined && !dirty))) {
        event.preventDefault();
        const page = document.getElementById("page");
        if (event.shiftKey && page && page.dataset.undoAt) this.post(page.dataset.undoAt.replace("/undo", "/redo"));
        else if (page && page.dataset.undoAt) { this.hush(); this.post(page.dataset.undoAt); }
        else this.undo();
      }
    },

    settle({ status, data }, form) {
      if (data.go) { window.location.assign(data.go); return; }
      if (status === 200) {
        if (data.regions) this.follow(data.regions);
        if (data.undo) this.done.push(data.undo);
        if (data.notice) this.tell({ text: data.notice, undo: data.undo || "" });
        if (document.querySelector("dialog.sheet").open) this.shut();
      } else if (data.html && (status === 409 || status === 422)) {
        this.show(data.html);
      } else if (form && form.querySelector(".form-message")) {
        const line = form.querySelector(".form-message");
        line.textContent = data.message || "That did not work. What you typed is still here.";
        line.hidden = false;
        line.scrollIntoView({ block: "center" });
      } else {
        this.tell({ text: data.message || "That did not work." });
      }
    },

    follow(regions) {
      for (const [name, html] of Object.entries(regions)) {
        const region = document.getElementById("region-" + name);
        // What nobody types into is not drawn again as it stands.
        const same = ["title", "stages", "verdict", "removed"].includes(name) && this.drawn[name] === html;
        this.drawn[name] = html;
        if (region && !same) this.replace(region, html);
      }
      window.ypomoni.tell("ypomoni-followed");
    },

    // The focus stays where it was: on the same cell or button of the new region.
    replace(region, html) {
      const held = region.contains(document.activeElement) ? document.activeElement : null;
      const row = held && held.closest("[data-load]");
      const mark = held && (held.dataset.cell ? `[data-cell="${held.dataset.cell}"]` : held.dataset.state ? `[data-state="${held.dataset.state}"]`
        : held.dataset.supply ? `[data-supply="${held.dataset.supply}"]` : held.name ? `[name="${held.name}"]` : "");
      if (region.dataset.merge === undefined) region.innerHTML = html; else this.merge(region, html);
      if (!held || !mark || held.isConnected) return;
      const again = (row ? region.querySelector(`[data-load="${row.dataset.load}"]`) || region : region).querySelector(mark);
      if (again) again.focus();
    },

    // Parts that say the same as before stay as they are: a browser is slow where much is drawn anew.
    merge(region, html) {
      const fresh = document.createElement("template");
      fresh.innerHTML = html;
      this.mergeParts(region, fresh.content);
    },

    mergeParts(old, fresh) {
      const before = [...old.children];
      const after = [...fresh.children];
      if (before.length !== after.length) { old.replaceChildren(...after.map((part) => this.noted(part))); return; }
      before.forEach((part, n) => {
        const source = after[n].outerHTML;
        if (sources.get(part) === source) return;
        if (part.dataset.merge === undefined || after[n].dataset.merge === undefined) { part.replaceWith(this.noted(after[n])); return; }
        this.mergeParts(part, after[n]);
        sources.set(part, source);
      });
    },

    // What a part looked like when it came from the server, before anything on the page changed it.
    noted(part) {
      sources.set(part, part.outerHTML);
      if (part.dataset.merge !== undefined) for (const child of part.children) this.noted(child);
      return part;
    },

    tell(detail) { this.notice = { text: detail.text, undo: detail.undo || "" }; },
    hush() { this.notice = { text: "", undo: "" }; },
  }));
});
