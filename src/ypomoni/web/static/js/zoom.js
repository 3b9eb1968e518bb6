// A part of a log is drawn out by dragging over its picture; the server draws it.
document.addEventListener("alpine:init", () => {
  window.Alpine.data("zoom", () => ({
    from: null,
    x: 0,
    wide: 0,

    // Where the pointer is, in the picture's own units, kept between the axes.
    at(event) {
      const d = this.$root.dataset;
      const box = event.currentTarget.getBoundingClientRect();
      const x = ((event.clientX - box.left) * Number(d.width)) / box.width;
      return Math.min(Number(d.right), Math.max(Number(d.left), x));
    },

    begin(event) {
      if (event.pointerType === "mouse" && event.button !== 0) return;
      this.from = this.at(event);
      this.x = this.from;
      this.wide = 0;
    },

    drag(event) {
      if (this.from === null) return;
      const now = this.at(event);
      this.x = Math.min(this.from, now);
      this.wide = Math.abs(now - this.from);
    },

    end(event) {
      if (this.from === null) return;
      this.drag(event);
      this.from = null;
      if (this.wide < 8) { this.wide = 0; return; }
      const d = this.$root.dataset;
      const time = (x) => Number(d.from) + ((Number(d.to) - Number(d.from)) * (x - Number(d.left))) / (Number(d.right) - Number(d.left));
      this.$refs.from.value = time(this.x).toPrecision(6);
      this.$refs.to.value = time(this.x + this.wide).toPrecision(6);
      this.$refs.from.form.requestSubmit();
    },

    drop() { this.from = null; this.wide = 0; },
  }));

  // To the plan that was chosen, with a log.
  window.Alpine.data("going", () => ({
    go() { window.location.assign(`${this.$refs.plan.value}?log=${this.$root.dataset.log}`); },
  }));
});
