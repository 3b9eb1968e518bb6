// Supplies that back each other up, played: a line that goes through the picture, and each instant in words.
document.addEventListener("alpine:init", () => {
  const STEP_MS = 80;
  window.Alpine.data("backup", () => ({
    said: "",
    word: "Play",
    timer: null,

    init() {
      this.instants = JSON.parse(this.$root.querySelector("[data-instants]").textContent);
      this.show();
    },

    destroy() { clearInterval(this.timer); },

    show() {
      const [x, words] = this.instants[Number(this.$refs.at.value)];
      const line = this.$root.querySelector("[data-now]");
      line.setAttribute("x1", x);
      line.setAttribute("x2", x);
      this.$refs.at.setAttribute("aria-valuetext", words);
      this.said = words;
    },

    moved() { this.stop(); this.show(); },

    stop() { clearInterval(this.timer); this.timer = null; this.word = "Play"; },

    toggle() {
      if (this.timer) { this.stop(); return; }
      const at = this.$refs.at;
      if (Number(at.value) >= Number(at.max)) at.value = 0;
      this.word = "Pause";
      this.timer = setInterval(() => {
        at.value = Number(at.value) + 1;
        this.show();
        if (Number(at.value) >= Number(at.max)) this.stop();
      }, STEP_MS);
    },
  }));
});
