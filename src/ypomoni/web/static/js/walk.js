// The first walk through the demo: where one is in it stays on this device; left once, it does not come again by itself.
document.addEventListener("alpine:init", () => {
  const kept = "ypomoni-walk";

  window.Alpine.data("walk", () => ({
    steps: [],
    step: 0,
    shown: false,

    init() {
      this.steps = JSON.parse(document.getElementById("walk-steps").textContent);
      const at = localStorage.getItem(kept);
      if (at === "left") return;
      this.step = Number(at || 0);
      // Only on its own page: whoever goes elsewhere is not followed.
      this.shown = Boolean(document.querySelector(this.steps[this.step].at));
    },

    said() { return this.steps.length ? this.steps[this.step].text : ""; },
    place() { return `${this.step + 1} of ${this.steps.length}`; },
    onward() { return this.step + 1 < this.steps.length ? "Next" : "Done"; },

    next() {
      const lead = this.steps[this.step].next && document.querySelector(this.steps[this.step].next);
      if (!lead) { this.leave(); return; }
      localStorage.setItem(kept, String(this.step + 1));
      window.location.assign(lead.href);
    },

    leave() { localStorage.setItem(kept, "left"); this.shown = false; },

    again() { localStorage.setItem(kept, "0"); window.location.assign("/"); },
  }));
});
