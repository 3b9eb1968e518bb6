// Season: sliders that ask again while they are dragged, and a week that is painted.
document.addEventListener("alpine:init", () => {
  const DAYS = ["mon", "tue", "wed", "thu", "fri", "sat", "sun"];
  const SLOTS = 48;
  const clock = (slot) => `${String(Math.floor(slot / 2)).padStart(2, "0")}:${slot % 2 ? "30" : "00"}`;
  const lasts = (slots) => `${slots / 2} h`;

  window.Alpine.data("season", () => ({
    grid: [],
    mode: null,
    last: null,
    asked: 0,

    init() {
      this.clear();
      if (this.$refs.paint) this.ask(true);
    },

    clear() { this.grid = DAYS.map(() => new Array(SLOTS).fill(false)); },

    turned(input) {
      const said = input.dataset.said ? input.dataset.said.split("|")[Number(input.value) - Number(input.min)] : `${input.value}${input.dataset.unit}`;
      this.$root.querySelector(`output[data-of="${input.name}"]`).textContent = said;
      input.setAttribute("aria-valuetext", said);
      this.ask();
    },

    reset() {
      for (const input of this.$root.querySelectorAll("input[type=range][data-stands]")) {
        input.value = input.dataset.stands;
        this.turned(input);
      }
    },

    // Asked at once; while an answer is under way only the newest question waits.
    async ask(first) {
      if (this.busy) { this.again = true; return; }
      this.busy = true;
      const values = new URLSearchParams({ supply: this.$root.dataset.supply });
      for (const input of this.$root.querySelectorAll("input[type=range][data-stands]")) if (input.value !== input.dataset.stands) values.set(input.name, input.value);
      const week = this.$refs.week;
      if (week && (first || week.value !== week.defaultValue)) values.set("week", week.value);
      const { status, data } = await window.ypomoni.send(`${this.$root.dataset.at}?${values}`, null, true);
      this.busy = false;
      if (this.$refs.fault && !first) this.$refs.fault.textContent = status === 422 ? data.message : "";
      if (status === 200) {
        if (!first) { this.$refs.picture.innerHTML = data.html; this.$refs.facts.innerHTML = data.facts; }
        if (data.spans && !this.mode && !this.painted) this.fill(data.spans);
      }
      this.painted = false;
      if (this.again) { this.again = false; this.ask(); }
    },

    typed() { this.ask(); },

    fill(spans) {
      this.clear();
      for (const [day, start, hours] of spans) {
        for (const [n, name] of DAYS.entries()) {
          if (day !== "daily" && day !== name) continue;
          const from = Math.round((n * 24 + start) * 2);
          for (let slot = from; slot < from + Math.max(1, Math.round(hours * 2)); slot += 1) {
            const at = slot % (7 * SLOTS);
            this.grid[Math.floor(at / SLOTS)][at % SLOTS] = true;
          }
        }
      }
      this.draw();
    },

    draw() {
      const svg = this.$refs.paint;
      const parts = [];
      for (let n = 0; n < 7; n += 1) {
        parts.push(`<rect class="paint-row" x="0" y="${n * 20 + 1}" width="480" height="18"/>`);
        for (const [from, to] of this.runs(n)) parts.push(`<rect class="paint-on" x="${from * 10}" y="${n * 20 + 1}" width="${(to - from) * 10}" height="18"/>`);
      }
      for (let h = 6; h < 24; h += 6) parts.push(`<line class="paint-hour" x1="${h * 20}" x2="${h * 20}" y1="0" y2="140"/>`);
      svg.innerHTML = parts.join("");
    },

    runs(n) {
      const found = [];
      let from = null;
      for (let slot = 0; slot <= SLOTS; slot += 1) {
        const on = slot < SLOTS && this.grid[n][slot];
        if (on && from === null) from = slot;
        if (!on && from !== null) { found.push([from, slot]); from = null; }
      }
      return found;
    },

    // Where the week stood when the stroke began: what stands above it may grow meanwhile.
    at(event) {
      const box = this.mode ? this.box : this.$refs.paint.getBoundingClientRect();
      this.box = box;
      const slot = Math.min(SLOTS - 1, Math.max(0, Math.floor(((event.clientX - box.left) / box.width) * SLOTS)));
      const row = Math.min(6, Math.max(0, Math.floor(((event.clientY - box.top) / box.height) * 7)));
      return [row, slot];
    },

    begin(event) {
      const [row, slot] = this.at(event);
      this.mode = this.grid[row][slot] ? "off" : "on";
      this.last = [row, slot];
      this.$refs.paint.setPointerCapture(event.pointerId);
      this.paint(row, slot);
    },

    over(event) {
      if (!this.mode) return;
      const [, slot] = this.at(event);
      // A stroke keeps to the day it began on, and a quick one leaves no gap.
      const [row, before] = this.last;
      for (let s = Math.min(before, slot); s <= Math.max(before, slot); s += 1) this.grid[row][s] = this.mode === "on";
      this.last = [row, slot];
      this.paint(row, slot);
    },

    paint(row, slot) {
      this.grid[row][slot] = this.mode === "on";
      this.draw();
      this.$refs.week.value = this.words();
      this.painted = true;
      this.ask();
    },

    done() { this.mode = null; },

    // A stretch that every day has is written once.
    words() {
      const all = DAYS.map((_, n) => this.runs(n).map(([a, b]) => `${a}-${b}`));
      const daily = all[0].filter((run) => all.every((day) => day.includes(run)));
      const said = (day, run) => { const [a, b] = run.split("-").map(Number); return `${day} ${clock(a)} ${lasts(b - a)}`; };
      const parts = daily.map((run) => said("daily", run));
      all.forEach((day, n) => day.filter((run) => !daily.includes(run)).forEach((run) => parts.push(said(DAYS[n][0].toUpperCase() + DAYS[n].slice(1), run))));
      return parts.join(", ");
    },
  }));

  window.Alpine.data("startReserve", () => ({
    busy: false,
    again: false,

    turned(input) {
      const said = `${input.name === "cutoff" ? Number(input.value).toFixed(2) : input.value}${input.dataset.unit}`;
      this.$root.querySelector(`output[data-of="${input.name}"]`).textContent = said;
      input.setAttribute("aria-valuetext", said);
      this.ask();
    },

    async ask() {
      if (this.busy) { this.again = true; return; }
      this.busy = true;
      const values = new URLSearchParams({ supply: this.$root.dataset.supply });
      for (const input of this.$root.querySelectorAll("input[type=range]")) values.set(input.name, input.value);
      const { status, data } = await window.ypomoni.send(`${this.$root.dataset.at}?${values}`, null, true);
      this.busy = false;
      if (status === 200) this.$refs.start.innerHTML = data.html;
      if (this.again) { this.again = false; this.ask(); }
    },
  }));

  window.Alpine.data("sunHours", () => ({
    said: "",
    hours: "",

    async work(button) {
      const values = new URLSearchParams(new FormData(this.$root));
      const { status, data } = await window.ypomoni.send(`${button.dataset.at}?${values}`, null, true);
      this.hours = status === 200 ? data.hours : "";
      this.said = status === 200 ? data.said : data.message;
    },
  }));
});
