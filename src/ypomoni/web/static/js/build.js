// Build: blocks are laid out one step at a time; the server draws what they come to and says how long it would hold.
document.addEventListener("alpine:init", () => {
  window.Alpine.data("build", () => ({
    turn: 0,

    async init() {
      const place = this.$root.querySelector("[data-ways]");
      if (!place) return;
      const { status, data } = await window.ypomoni.send(place.dataset.ways, null, true);
      if (status === 200) place.innerHTML = data.html;
      else place.querySelector("p").textContent = "What is sold could not be tried just now. Load the page again.";
    },

    print() { window.print(); },

    async step(event) {
      const form = event.target;
      const said = new FormData(form);
      if (event.submitter && event.submitter.name) said.set(event.submitter.name, event.submitter.value);
      const pressed = event.submitter ? event.submitter.value : "";
      const turn = ++this.turn;
      const { status, data } = await window.ypomoni.send(form.dataset.at + "?" + new URLSearchParams(said), null, true);
      if (turn !== this.turn) return;
      if (status !== 200 && status !== 422) { window.ypomoni.tell("ypomoni-notice", { text: data.message || "This could not be drawn. Try again." }); return; }
      const place = this.$root.querySelector("[data-wiring]");
      const kind = said.get("kind");
      place.innerHTML = data.html;
      const pick = place.querySelector("[name=kind]");
      if (pick && [...pick.options].some((o) => o.value === kind)) pick.value = kind;
      // By keyboard one goes on from the step that was taken.
      const again = [...place.querySelectorAll("button[name=do]")].find((b) => b.value === pressed);
      const wrong = place.querySelector("[aria-invalid=true]");
      (wrong || again || place.querySelector("button[name=do]")).focus({ preventScroll: true });
      const now = place.querySelector("form");
      const hours = await window.ypomoni.send(now.dataset.hours + "?" + new URLSearchParams({ supply: now.elements.supply.value, try: now.elements.try.value }), null, true);
      if (turn === this.turn && hours.status === 200) place.querySelector("[data-said]").textContent = hours.data.said;
    },
  }));
});
