// A recording looked at while it goes on: one stream of what is new, drawn on a canvas. Where there is no stream, it is asked for now and then.
const LEFT = 72;
const FOOT = 42;

document.addEventListener("alpine:init", () => {
  window.Alpine.data("live", () => ({
    current: "…",
    volts: "",
    said: "",
    counted: "",

    // Kept out of Alpine's sight: an hour at ten a second is 36,000 numbers.
    init() {
      const own = { t: [], y: [], n: 0, waits: false };
      this.hold = () => own;
      this.follow();
    },

    follow() {
      const { stream } = this.$root.dataset;
      if (!window.EventSource) { this.ask(); return; }
      const source = new EventSource(stream + "?after=" + this.hold().n);
      source.onmessage = (event) => {
        const news = JSON.parse(event.data);
        this.take(news);
        if (news.state !== "running") { source.close(); this.over(); }
      };
      source.onerror = () => {
        // Closed by the server for good: there were too many. Else the browser asks again by itself.
        if (source.readyState === EventSource.CLOSED) this.ask();
      };
    },

    async ask() {
      const { status, data } = await window.ypomoni.send(this.$root.dataset.news + "?after=" + this.hold().n, null, true);
      if (status === 200) {
        this.take(data);
        if (data.state !== "running") { this.over(); return; }
      }
      setTimeout(() => this.ask(), 3000);
    },

    take(news) {
      const own = this.hold();
      const values = this.$root.dataset.volts ? news.v : news.a;
      if (news.n > own.n) {
        news.t.forEach((t, i) => { own.t.push(t); own.y.push(values[i] === undefined ? null : values[i]); });
        own.n = news.n;
      }
      this.current = news.current || "…";
      this.volts = news.volts;
      this.said = news.said;
      this.counted = news.counted;
      if (!own.waits) { own.waits = true; requestAnimationFrame(() => { own.waits = false; this.draw(); }); }
      window.ypomoni.tell("ypomoni-live", { state: news.state, volts: news.volts });
    },

    over() { setTimeout(() => window.location.reload(), 600); },

    draw() {
      const { t, y } = this.hold();
      const canvas = this.$refs.curve;
      const pen = canvas.getContext("2d");
      const { width, height } = canvas;
      pen.clearRect(0, 0, width, height);
      if (t.length < 2) return;
      const first = t[0];
      const span = Math.max(t[t.length - 1] - first, 1e-6);
      let low = this.$root.dataset.volts ? Infinity : 0;
      let high = -Infinity;
      for (const v of y) if (v !== null) { if (v < low) low = v; if (v > high) high = v; }
      if (high <= low) high = low + 1e-6;
      const style = getComputedStyle(canvas);
      this.axes(pen, low, high, span, style.getPropertyValue("--ink-soft"), style.fontFamily);
      pen.strokeStyle = style.color;
      pen.lineWidth = 1.4;
      pen.beginPath();
      // The least and the most of each column of the picture.
      const wide = width - LEFT - 8;
      const columns = new Array(wide);
      for (let i = 0; i < t.length; i += 1) {
        if (y[i] === null) continue;
        const x = Math.min(wide - 1, Math.floor(((t[i] - first) / span) * (wide - 1)));
        const cell = columns[x];
        if (cell) { if (y[i] < cell[0]) cell[0] = y[i]; if (y[i] > cell[1]) cell[1] = y[i]; } else columns[x] = [y[i], y[i]];
      }
      const at = (v) => height - FOOT - ((v - low) / (high - low)) * (height - FOOT - 10);
      let begun = false;
      for (let x = 0; x < wide; x += 1) {
        if (!columns[x]) continue;
        const [a, b] = columns[x];
        if (begun) pen.lineTo(LEFT + x, at(b)); else pen.moveTo(LEFT + x, at(b));
        pen.lineTo(LEFT + x, at(a));
        begun = true;
      }
      pen.stroke();
    },

    // Ticks and titles of both axes.
    axes(pen, low, high, span, ink, font) {
      const { width, height } = this.$refs.curve;
      const [unit, scale] = span < 120 ? ["s", 1] : span < 7200 ? ["min", 60] : ["h", 3600];
      pen.font = `13px ${font}`;
      pen.fillStyle = ink;
      pen.strokeStyle = ink;
      pen.lineWidth = 0.3;
      pen.textAlign = "right";
      for (let n = 0; n <= 3; n += 1) {
        const y = height - FOOT - (n / 3) * (height - FOOT - 10);
        pen.fillText((low + ((high - low) * n) / 3).toPrecision(3), LEFT - 8, y + 4);
        pen.beginPath(); pen.moveTo(LEFT, y); pen.lineTo(width - 8, y); pen.stroke();
      }
      pen.textAlign = "center";
      for (let n = 0; n <= 5; n += 1) pen.fillText(((span * n) / 5 / scale).toPrecision(2), LEFT + (n / 5) * (width - LEFT - 8), height - FOOT + 18);
      pen.fillText(`time [${unit}]`, LEFT + (width - LEFT) / 2, height - 4);
      pen.save();
      pen.translate(13, (height - FOOT) / 2);
      pen.rotate(-Math.PI / 2);
      pen.fillText(this.$root.dataset.volts ? "battery [V]" : "current [A]", 0, 0);
      pen.restore();
    },
  }));
});
