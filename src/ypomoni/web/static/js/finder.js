// Find anything: what is typed is asked of the server, Enter goes to the first of what it found, arrows choose.
document.addEventListener("alpine:init", () => {
  window.Alpine.data("finder", () => ({
    text: "",
    found: [],
    said: "",
    waits: 0,
    asked: 0,

    show() {
      this.text = "";
      this.found = [];
      this.said = "Type two letters or more.";
      if (!this.$root.open) this.$root.showModal();
      this.$root.querySelector("input").focus();
    },

    ask() {
      clearTimeout(this.waits);
      this.waits = setTimeout(() => this.fetch(), 120);
    },

    async fetch() {
      const turn = ++this.asked;
      if (this.text.trim().length < 2) { this.found = []; this.said = "Type two letters or more."; return; }
      const { status, data } = await window.ypomoni.send(this.$root.dataset.at + "?" + new URLSearchParams({ words: this.text, plan: this.$root.dataset.plan }), null, true);
      if (turn !== this.asked) return;
      this.found = status === 200 ? data.found : [];
      this.said = status !== 200 ? data.message || "Nothing can be found just now." : this.found.length ? "" : `Nothing is called ${this.text}.`;
    },

    go(item) {
      this.$root.close();
      if (item.open) window.ypomoni.tell("ypomoni-open", item.open);
      else window.location.assign(item.go);
    },

    async key(event) {
      const buttons = [...this.$root.querySelectorAll("li button")];
      const at = buttons.indexOf(document.activeElement);
      // A search field keeps its first Escape for itself.
      if (event.key === "Escape") { event.preventDefault(); this.$root.close(); return; }
      if (event.key === "Enter" && at < 0) {
        event.preventDefault();
        clearTimeout(this.waits);
        await this.fetch();
        if (this.found.length) this.go(this.found[0]);
      }
      if (event.key !== "ArrowDown" && event.key !== "ArrowUp") return;
      event.preventDefault();
      const next = buttons[at + (event.key === "ArrowDown" ? 1 : -1)];
      (next || this.$root.querySelector("input")).focus();
    },
  }));
});
