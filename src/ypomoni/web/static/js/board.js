// The balance board: pieces are taken by mouse, thumb or keyboard; the server says per lane what would be; they are dropped or put back.
// Its names differ from those of the page around it: here both are in one scope.
document.addEventListener("alpine:init", () => {
  const NOTHING = { names: "", quantity: 1, count: 1, members: [], pinned: false };
  const NO_JOB = { id: 0, headline: "", detail: "" };
  const FAR_PX = 6;
  const EDGE_PX = 70;
  const NEWS_MS = 2500;
  const JOB_MS = 400;

  // Kept by hand: a method that a piece started still needs its board after that piece was drawn anew.
  let board = null;

  const token = () => [...crypto.getRandomValues(new Uint8Array(16))].map((b) => b.toString(16).padStart(2, "0")).join("");
  // What came back says that it was not kept, or nothing came back: it is offered again.
  const isLost = (status) => status === 0 || status === 401 || status >= 500;

  window.Alpine.data("board", () => ({
    held: { ...NOTHING },
    // Where a pointer went down on a piece, until it is a drag or a tap.
    down: null,
    dragging: false,
    sending: false,
    company: "",
    unsent: [],
    job: { ...NO_JOB },
    findText: null,

    init() {
      board = this.$root;
      this.since = Number(board.dataset.since);
      this.plan = board.dataset.plan;
      this.kept = `ypomoni-moves-${document.body.dataset.account}-${this.plan}`;
      this.unsent = this.read(this.kept, []);
      // A thumb needs more room than a mouse.
      if (window.matchMedia("(pointer: coarse)").matches) window.ypomoni.look({ board_touch: 1 }, "board");
      const job = this.read(`ypomoni-job-${this.plan}`, 0);
      if (job) this.follow_job(job);
      setInterval(() => this.hear(), NEWS_MS);
      this.hear();
    },

    read(name, otherwise) { try { return JSON.parse(localStorage.getItem(name)) || otherwise; } catch { return otherwise; } },
    keep(name, value) { try { localStorage.setItem(name, JSON.stringify(value)); } catch { /* a full store: the page still knows */ } },

    lanes() { return [...board.querySelectorAll(".board-lane")]; },
    all_pieces() { return [...board.querySelectorAll(".piece")]; },
    members(piece) { return piece.dataset.members.split(",").map((text) => { const [id, version, quantity] = text.split(":").map(Number); return { id, version, quantity }; }); },

    // -- taking ----------------------------------------------------------------------------------------------------------------------

    take(event) {
      const piece = event.target.closest(".piece");
      if (event.button || !piece) return;
      this.down = { x: event.clientX, y: event.clientY, piece, pointer: event.pointerType, along: event.ctrlKey || event.metaKey || event.shiftKey };
      // A finger that moves scrolls the page: with a thumb one taps, and taps again.
      if (event.pointerType === "mouse") event.preventDefault();
    },

    drag(event) {
      if (!this.down || this.down.pointer !== "mouse") return;
      this.at = { clientX: event.clientX, clientY: event.clientY };
      if (!this.dragging && Math.hypot(event.clientX - this.down.x, event.clientY - this.down.y) > FAR_PX) {
        this.dragging = true;
        if (this.down.along) this.along(this.down.piece, true); else if (!this.down.piece.classList.contains("piece-held")) this.pick(this.down.piece);
        requestAnimationFrame(() => this.scroll());
      }
      if (this.dragging) this.show_over();
    },

    // The page goes along as long as the pointer stays near its edge.
    scroll() {
      if (!this.dragging) return;
      if (this.at.clientY < EDGE_PX) window.scrollBy(0, -10);
      if (this.at.clientY > window.innerHeight - EDGE_PX) window.scrollBy(0, 10);
      this.show_over();
      requestAnimationFrame(() => this.scroll());
    },

    show_over() {
      const over = this.laneAt(this.at);
      for (const lane of this.lanes()) lane.classList.toggle("over", lane === over);
      if (over && over !== this.over) this.foresee(over);
      this.over = over;
    },

    // Where a piece rests over a lane, the server works out what it would be, so that the figures are there when it is dropped.
    foresee(lane) {
      clearTimeout(this.foreseeTimer);
      if (!lane || lane.classList.contains("offer-no")) return;
      this.foreseeTimer = setTimeout(() => {
        const pieces = this.sent().join("&piece=");
        if (pieces) this.work_out(lane.dataset.supply, pieces);
      }, 60);
    },

    // Only whole loads are foreseen: a part becomes a load of its own.
    work_out(supply, pieces) {
      if (this.held.count === this.held.quantity) window.ypomoni.send(`/plans/${this.plan}/foresee?supply=${supply}&piece=${pieces}`, null, true);
    },

    foresee_of(target) { if (target.dataset.put !== undefined) this.foresee(target.closest(".board-lane")); },

    let_go(event) {
      const { down, dragging } = this;
      this.down = null;
      this.dragging = false;
      for (const lane of this.lanes()) lane.classList.remove("over");
      if (!down) return;
      if (!dragging) {
        if (Math.hypot(event.clientX - down.x, event.clientY - down.y) > FAR_PX) return;
        // With a thumb a second piece goes along; with a mouse that takes Ctrl.
        if (down.along || (down.pointer !== "mouse" && this.held.names)) this.along(down.piece); else this.pick(down.piece);
        return;
      }
      const lane = this.laneAt(event);
      if (lane && !lane.contains(down.piece)) this.dropOn(lane); else this.put_back();
    },

    laneAt(event) {
      const found = document.elementFromPoint(event.clientX, event.clientY);
      return found ? found.closest(".board-lane") : null;
    },

    mark(piece, is) { piece.classList.toggle("piece-held", is); piece.setAttribute("aria-pressed", is ? "true" : "false"); },

    async pick(piece) {
      for (const other of this.all_pieces()) this.mark(other, other === piece);
      await this.gather();
      if (!this.dragging) { const put = board.querySelector("[data-put]:not([hidden])"); if (put) put.focus(); }
    },

    along(piece, surely) { this.mark(piece, surely || !piece.classList.contains("piece-held")); return this.gather(); },

    gather() {
      const pieces = this.all_pieces().filter((piece) => piece.classList.contains("piece-held"));
      if (!pieces.length) { this.put_back(); return null; }
      const one = pieces.length === 1;
      const names = pieces.map((piece) => piece.dataset.name);
      const members = pieces.flatMap((piece) => this.members(piece));
      const quantity = one && members.length === 1 ? Number(pieces[0].dataset.quantity) : 1;
      this.held = { names: names.length > 3 ? `${names[0]} and ${names.length - 1} more` : names.join(", "), quantity, count: quantity, members, pinned: pieces.every((piece) => piece.dataset.pinned === "1") };
      return this.ask();
    },

    count(input) {
      this.held.count = Math.min(this.held.quantity, Math.max(1, Math.round(Number(input.value) || 1)));
      input.value = this.held.count;
      this.ask();
    },

    sent() { return this.held.members.map((m) => `${m.id}:${m.version}:${this.held.quantity > 1 ? this.held.count : m.quantity}`); },

    // What was asked for other pieces meanwhile is not shown for these.
    async ask() {
      const asked = this.sent().join("&piece=");
      if (!asked) return;
      const { status, data } = await window.ypomoni.send(`/plans/${this.plan}/offers?piece=${asked}`);
      if (this.sent().join("&piece=") !== asked) return;
      if (status !== 200) { window.ypomoni.tell("ypomoni-notice", { text: data.message || "The lanes did not answer." }); return; }
      for (const lane of this.lanes()) {
        const said = data.lanes.find((entry) => entry.supply === lane.dataset.supply) || { may: !this.held.pinned, own: false, meets: true, text: "", more: "", asks: [] };
        const offer = lane.querySelector("[data-offer]");
        offer.textContent = said.text;
        offer.hidden = !said.text;
        const more = lane.querySelector("[data-more]");
        more.textContent = said.more;
        more.hidden = !said.more;
        const run = lane.querySelector("[data-run-at]");
        if (run) {
          run.hidden = !said.asks.length;
          if (said.asks.length) { run.textContent = said.asks[0].text; run.dataset.place = said.asks[0].place; run.dataset.supplyKey = said.asks[0].supply; }
        }
        lane.classList.toggle("offer-no", !said.may && !said.own);
        lane.classList.toggle("offer-meets", said.meets && (said.may || said.own));
        lane.classList.toggle("offer-unsafe", said.unsafe);
        lane.querySelector("[data-put]").hidden = !said.may;
      }
      // Wherever they go, their own lanes are without them.
      if (!this.held.pinned) this.work_out("", this.sent().join("&piece="));
    },

    ask_run(button) { window.ypomoni.tell("ypomoni-open", `${button.dataset.runAt}&place=${button.dataset.place}&supply=${button.dataset.supplyKey}`); },

    put_back() {
      this.held = { ...NOTHING };
      this.down = null;
      this.dragging = false;
      for (const lane of this.lanes()) {
        lane.classList.remove("offer-no", "offer-meets", "offer-unsafe", "over");
        for (const part of lane.querySelectorAll("[data-offer], [data-more], [data-put], [data-run-at]")) part.hidden = true;
      }
      for (const piece of this.all_pieces()) this.mark(piece, false);
    },

    // Escape puts back wherever the focus is, but for a sheet that it closes first.
    escape() { if (this.held.names && !document.querySelector("dialog.sheet[open]")) this.put_back(); },

    // -- dropping --------------------------------------------------------------------------------------------------------------------

    drop(button) { this.dropOn(button.closest(".board-lane")); },

    async dropOn(lane) {
      if (!this.held.names || this.sending) return;
      const to = lane.querySelector(".lane-name").textContent.replace("▾", "").replace("gives out first", "").trim();
      const move = { pieces: this.sent(), supply: lane.dataset.supply, token: token(), names: this.held.names, to };
      this.sending = true;
      const { status, data } = await this.push(move);
      this.sending = false;
      const first = move.pieces[0].split(":")[0];
      this.put_back();
      this.tell_of(status, data, move);
      // By keyboard one goes on from the piece that moved.
      const moved = this.all_pieces().find((piece) => this.members(piece).some((m) => String(m.id) === first));
      if (status === 200 && moved) moved.focus();
    },

    // It is kept here until the server has it: what is not acknowledged is offered again, after a reload too.
    async push(move) {
      this.keep(this.kept, [...this.unsent, move]);
      const body = new FormData();
      for (const piece of move.pieces) body.append("piece", piece);
      body.set("supply", move.supply);
      body.set("token", move.token);
      if (move.anyway) body.set("anyway", "1");
      const { status, data } = await window.ypomoni.send(`/plans/${this.plan}/move`, body);
      this.unsent = this.unsent.filter((other) => other.token !== move.token);
      if (isLost(status)) this.unsent.push(move);
      this.keep(this.kept, this.unsent);
      return { status, data };
    },

    tell_of(status, data, move) {
      if (data.regions) window.ypomoni.tell("ypomoni-regions", data.regions);
      if (status === 200) window.ypomoni.tell("ypomoni-notice", { text: data.notice, undo: data.undo });
      else if (status === 409 && data.html) { this.refused = data.choice ? move : null; window.ypomoni.tell("ypomoni-show", data.html); }
      else window.ypomoni.tell("ypomoni-notice", { text: data.message || `${move.names} was not moved. It is where it was; try again.` });
    },

    // After both states were seen: my move all the same.
    async move_anyway() {
      if (!this.refused) return;
      const move = { ...this.refused, token: token(), anyway: true };
      this.refused = null;
      const { status, data } = await this.push(move);
      this.tell_of(status, data, move);
    },

    saidUnsent() {
      const [first] = this.unsent;
      if (!first) return "";
      const rest = this.unsent.length > 1 ? ` and ${this.unsent.length - 1} more` : "";
      return `Not saved: ${first.names} to ${first.to}${rest}.`;
    },

    async sendUnsent() {
      for (const move of [...this.unsent]) {
        const { status, data } = await this.push(move);
        this.tell_of(status, data, move);
        if (isLost(status)) return;
      }
    },

    forget() { this.unsent = []; this.keep(this.kept, []); },

    async pin() {
      const body = new FormData();
      for (const piece of this.sent()) body.append("piece", piece);
      body.set("pinned", this.held.pinned ? "0" : "1");
      const { status, data } = await window.ypomoni.send(`/plans/${this.plan}/pin`, body);
      this.put_back();
      this.tell_of(status, data, { names: "It" });
    },

    pinWord() { return this.held.pinned ? "Unpin it" : "Pin it here"; },

    // -- looking ---------------------------------------------------------------------------------------------------------------------

    find(input) {
      this.findText = input.value;
      clearTimeout(this.findTimer);
      this.findTimer = setTimeout(() => window.ypomoni.look({ board_find: this.findText }, "board"), 200);
    },

    fold(supply) {
      const shut = new Set((window.ypomoni.looking().board_shut || "").split(",").filter(Boolean));
      if (!shut.delete(supply)) shut.add(supply);
      window.ypomoni.look({ board_shut: [...shut].join(",") }, "board");
    },

    // The board was drawn anew under what is held and typed.
    again() {
      const input = document.getElementById("board-find");
      if (input && this.findText !== null && input.value !== this.findText) input.value = this.findText;
      if (!this.held.names || this.sending) return;
      const ids = new Set(this.held.members.map((m) => m.id));
      for (const piece of this.all_pieces()) this.mark(piece, this.members(piece).every((m) => ids.has(m.id)));
      this.ask();
    },

    // -- the others ------------------------------------------------------------------------------------------------------------------

    async hear() {
      if (document.hidden || this.dragging || this.sending) return;
      const looking = new URLSearchParams({ ...window.ypomoni.looking(), since: this.since });
      const { status, data } = await window.ypomoni.send(`/plans/${this.plan}/news?${looking}`, null, true);
      if (status !== 200) { this.company = status === 0 || status >= 500 ? "No connection: the board shows what it last heard." : ""; return; }
      this.since = data.since;
      const here = data.others.length ? `${data.others.join(", ")} ${data.others.length > 1 ? "are" : "is"} on this plan too.` : "";
      if (data.said.length) this.lastSaid = data.said[data.said.length - 1];
      this.company = [here, this.lastSaid].filter(Boolean).join(" ");
      if (data.regions) window.ypomoni.tell("ypomoni-regions", data.regions);
    },

    // -- the search for the best moves -----------------------------------------------------------------------------------------------

    async ask_moves(button) {
      const body = new FormData();
      body.set("objective", button.dataset.objective);
      if (button.dataset.long) body.set("long", "1");
      const { status, data } = await window.ypomoni.send(button.dataset.ask, body);
      if (status === 200) this.follow_job(data.job);
      else window.ypomoni.tell("ypomoni-notice", { text: data.message || "The search was not taken. Try again." });
    },

    async follow_job(id) {
      this.keep(`ypomoni-job-${this.plan}`, id);
      this.job = { id, headline: "Asking", detail: "" };
      while (this.job.id === id) {
        const { status, data } = await window.ypomoni.send(`/jobs/${id}`, null, true);
        if (status === 200 && !["queued", "running"].includes(data.state)) {
          this.job = { ...NO_JOB };
          this.keep(`ypomoni-job-${this.plan}`, 0);
          await window.ypomoni.look({ board_job: id, board_option: "" }, "board");
          return;
        }
        if (status === 404) { this.job = { ...NO_JOB }; this.keep(`ypomoni-job-${this.plan}`, 0); return; }
        if (this.job.id === id && status === 200) this.job = { id, headline: data.headline, detail: data.detail };
        await new Promise((wake) => setTimeout(wake, JOB_MS));
      }
    },

    async cancel_job() { await window.ypomoni.send(`/jobs/${this.job.id}/cancel`, new FormData()); },

    async accept(button) {
      const body = new FormData();
      if (button.dataset.option) body.set("option", button.dataset.option);
      if (button.dataset.only) body.set("only", button.dataset.only);
      const { status, data } = await window.ypomoni.send(button.dataset.accept, body);
      this.tell_of(status, data, { names: "It" });
    },

    // -- keys ------------------------------------------------------------------------------------------------------------------------

    key(event) {
      if (event.target.matches("input[type=search]")) return;
      const piece = event.target.closest(".piece");
      if (piece && event.key === "Enter") { event.preventDefault(); this.pick(piece); return; }
      if (piece && event.key === " ") { event.preventDefault(); this.along(piece); return; }
      if (event.key === "Escape" && this.held.names) { event.preventDefault(); const held = board.querySelector(".piece-held"); this.put_back(); if (held) held.focus(); return; }
      if (event.key !== "ArrowDown" && event.key !== "ArrowUp") return;
      const putting = this.held.names && !piece;
      const stops = [...board.querySelectorAll(putting ? "[data-put]:not([hidden])" : ".piece")];
      const at = stops.indexOf(document.activeElement);
      const next = stops[at + (event.key === "ArrowDown" ? 1 : -1)];
      if (at >= 0 && next) { event.preventDefault(); next.focus(); }
    },
  }));
});
