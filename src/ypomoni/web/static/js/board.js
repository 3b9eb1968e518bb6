// The balance board: a piece is taken by mouse, thumb or Enter; the server says per lane what would be; it is dropped or put back.
document.addEventListener("alpine:init", () => {
  const NONE = { id: "", version: "", name: "", quantity: 1, count: 1 };
  const FAR_PX = 6;
  const EDGE_PX = 70;

  // Kept by hand: a method that a piece started still needs its board after that piece was drawn anew.
  let board = null;

  window.Alpine.data("board", () => ({
    held: { ...NONE },
    // Where a pointer went down on a piece, until it is a drag or a tap.
    down: null,
    dragging: false,

    // A thumb needs more room than a mouse.
    init() { board = this.$root; if (window.matchMedia("(pointer: coarse)").matches) window.ypomoni.look({ board_touch: 1 }, "board"); },

    lanes() { return [...board.querySelectorAll(".board-lane")]; },

    take(event) {
      if (event.button) return;
      const piece = event.currentTarget;
      this.down = { x: event.clientX, y: event.clientY, piece, pointer: event.pointerType };
      // A finger that moves scrolls the page: with a thumb one taps, and taps again.
      if (event.pointerType === "mouse") event.preventDefault();
    },

    drag(event) {
      if (!this.down || this.down.pointer !== "mouse") return;
      if (!this.dragging && Math.hypot(event.clientX - this.down.x, event.clientY - this.down.y) > FAR_PX) {
        this.dragging = true;
        this.pick(this.down.piece);
      }
      if (!this.dragging) return;
      // The page goes along when the pointer nears its edge.
      if (event.clientY < EDGE_PX) window.scrollBy(0, -14);
      if (event.clientY > window.innerHeight - EDGE_PX) window.scrollBy(0, 14);
      const over = this.laneAt(event);
      for (const lane of this.lanes()) lane.classList.toggle("over", lane === over);
    },

    let_go(event) {
      const { down, dragging } = this;
      this.down = null;
      this.dragging = false;
      for (const lane of this.lanes()) lane.classList.remove("over");
      if (!down) return;
      if (!dragging) { if (Math.hypot(event.clientX - down.x, event.clientY - down.y) <= FAR_PX) this.pick(down.piece); return; }
      const lane = this.laneAt(event);
      if (lane && !lane.contains(down.piece)) this.dropOn(lane); else this.put_back();
    },

    laneAt(event) {
      const found = document.elementFromPoint(event.clientX, event.clientY);
      return found ? found.closest(".board-lane") : null;
    },

    async pick(piece) {
      const { load, version, name, quantity } = piece.dataset;
      this.held = { id: load, version, name, quantity: Number(quantity), count: Number(quantity) };
      for (const other of board.querySelectorAll(".piece")) other.classList.toggle("piece-held", other === piece);
      await this.ask();
      if (!this.dragging) { const put = board.querySelector("[data-put]:not([hidden])"); if (put) put.focus(); }
    },

    count(input) {
      this.held.count = Math.min(this.held.quantity, Math.max(1, Math.round(Number(input.value) || 1)));
      input.value = this.held.count;
      this.ask();
    },

    // What was asked for another piece meanwhile is not shown for this one.
    async ask() {
      const { id, count } = this.held;
      this.asked = window.ypomoni.send(`/loads/${id}/offers?quantity=${count}`);
      const { status, data } = await this.asked;
      if (this.held.id !== id || this.held.count !== count) return;
      if (status !== 200) { window.ypomoni.tell("ypomoni-notice", { text: data.message || "The lanes did not answer." }); return; }
      for (const lane of this.lanes()) {
        const said = data.lanes.find((entry) => entry.supply === lane.dataset.supply) || { may: true, own: false, meets: true, text: "" };
        const offer = lane.querySelector("[data-offer]");
        offer.textContent = said.text;
        offer.hidden = !said.text;
        lane.classList.toggle("offer-no", !said.may && !said.own);
        lane.classList.toggle("offer-meets", said.may && said.meets);
        lane.querySelector("[data-put]").hidden = !said.may;
      }
    },

    put_back() {
      this.held = { ...NONE };
      this.down = null;
      this.dragging = false;
      for (const lane of this.lanes()) {
        lane.classList.remove("offer-no", "offer-meets", "over");
        lane.querySelector("[data-offer]").hidden = true;
        lane.querySelector("[data-put]").hidden = true;
      }
      for (const piece of board.querySelectorAll(".piece-held")) piece.classList.remove("piece-held");
    },

    drop(button) { this.dropOn(button.closest(".board-lane")); },

    async dropOn(lane) {
      if (!this.held.id) return;
      const { id, version, count, name } = this.held;
      const body = new FormData();
      body.set("version", version);
      body.set("quantity", count);
      body.set("supply", lane.dataset.supply);
      const { status, data } = await window.ypomoni.send(`/loads/${id}/move`, body);
      this.put_back();
      if (data.regions) window.ypomoni.tell("ypomoni-regions", data.regions);
      if (status === 200) {
        window.ypomoni.tell("ypomoni-notice", { text: data.notice, undo: data.undo });
        window.ypomoni.tell("ypomoni-done", data.undo);
        // By keyboard one goes on from the piece that moved.
        const moved = [...board.querySelectorAll(".piece")].find((piece) => piece.dataset.load === id);
        if (moved) moved.focus();
      } else {
        window.ypomoni.tell("ypomoni-notice", { text: data.message || `${name} was not moved. It is where it was; try again.` });
      }
    },

    key(event) {
      if (event.key === "Escape" && this.held.id) { event.preventDefault(); const piece = board.querySelector(".piece-held"); this.put_back(); if (piece) piece.focus(); return; }
      if (event.key !== "ArrowDown" && event.key !== "ArrowUp") return;
      const stops = [...board.querySelectorAll(this.held.id ? "[data-put]:not([hidden])" : ".piece")];
      const at = stops.indexOf(document.activeElement);
      const next = stops[at + (event.key === "ArrowDown" ? 1 : -1)];
      if (at >= 0 && next) { event.preventDefault(); next.focus(); }
    },
  }));
});
