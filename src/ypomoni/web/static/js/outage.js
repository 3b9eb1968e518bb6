// An outage played: charts of what the server answers, and controls that ask it again while they are dragged.
(() => {
  const colour = (name) => getComputedStyle(document.documentElement).getPropertyValue(name).trim();
  const SHADES = ["--r0", "--fails", "--recharge", "--burst", "--risk", "--r3", "--danger", "--r4"];
  const DASHES = [[], [8, 4], [2, 3], [10, 3, 2, 3], [5, 5], [1, 4], [12, 4], [3, 6]];
  // Below the voltage, in this order: title, unit, digits, and the range of what begins at nothing.
  const fromNothing = (_, low, high) => [0, high > 0 ? high * 1.08 : 1];
  const BELOW = { i: ["current, A", "A", 3, fromNothing], full: ["charge left, %", "%", 0, fromNothing], degc: ["temperature, °C", "°C", 1, undefined] };
  const number = (value, digits) => (value === null || value === undefined ? "" : value.toFixed(digits));
  const hours = (value) => (value < 2 ? `${Math.round(value * 60)} min` : value < 240 ? `${value.toFixed(1)} h` : `${(value / 24).toFixed(1)} days`);

  // What stands in a chart beside its lines: voltages that are watched, what happens when, and what it must hold.
  const marks = (found) => ({
    hooks: {
      draw: [(u) => {
        const { ctx, bbox } = u;
        const ratio = window.devicePixelRatio || 1;
        ctx.save();
        ctx.beginPath();
        ctx.rect(bbox.left, bbox.top - 16 * ratio, bbox.width, bbox.height + 16 * ratio);
        ctx.clip();
        ctx.font = `${12 * ratio}px Plex, sans-serif`;
        ctx.lineWidth = ratio;
        let above = -Infinity;
        for (const limit of [...(found().limits || [])].sort((a, b) => b.v - a.v)) {
          const y = u.valToPos(limit.v, "y", true);
          if (y < bbox.top || y > bbox.top + bbox.height) continue;
          ctx.strokeStyle = colour("--rule-strong");
          ctx.setLineDash([6 * ratio, 4 * ratio]);
          ctx.beginPath(); ctx.moveTo(bbox.left, y); ctx.lineTo(bbox.left + bbox.width, y); ctx.stroke();
          ctx.fillStyle = colour("--ink-soft");
          ctx.textAlign = "left";
          // Close under another line the label goes below its own.
          const under = y - above < 18 * ratio;
          ctx.fillText(limit.label, bbox.left + 6 * ratio, under ? y + 13 * ratio : y - 4 * ratio);
          above = under ? y + 13 * ratio : y;
        }
        ctx.setLineDash([]);
        const upright = (t, name, width) => {
          const x = u.valToPos(t, "x", true);
          if (x < bbox.left || x > bbox.left + bbox.width) return null;
          ctx.strokeStyle = colour(name);
          ctx.lineWidth = width * ratio;
          ctx.beginPath(); ctx.moveTo(x, bbox.top); ctx.lineTo(x, bbox.top + bbox.height); ctx.stroke();
          return x;
        };
        let row = 0;
        for (const mark of found().marks || []) {
          const x = upright(mark.t, mark.kind === "alarm" || mark.kind === "alarm_over" ? "--alarm" : mark.kind === "load_lost" ? "--rule-strong" : "--risk", 1);
          if (x === null || !mark.name) continue;
          // Ends of several supplies are named, each on a line of its own.
          const right = x > bbox.left + bbox.width * 0.7;
          ctx.textAlign = right ? "right" : "left";
          const at = [x + (right ? -5 : 5) * ratio, bbox.top + (13 + 15 * (row % 6)) * ratio];
          const { width } = ctx.measureText(mark.name);
          ctx.fillStyle = colour("--paper");
          ctx.fillRect(at[0] - (right ? width + 2 * ratio : 2 * ratio), at[1] - 11 * ratio, width + 4 * ratio, 14 * ratio);
          ctx.fillStyle = colour("--ink");
          ctx.fillText(mark.name, ...at);
          row += 1;
        }
        if (found().must_h) upright(found().must_h, "--must", 2);
        if (found().end_h !== null && found().end_h !== undefined) {
          const x = upright(found().end_h, "--fails", 2);
          if (x !== null && found().holds) {
            const right = x > bbox.left + bbox.width * 0.8;
            ctx.fillStyle = colour("--fails");
            ctx.font = `600 ${13 * ratio}px Plex, sans-serif`;
            ctx.textAlign = right ? "right" : "left";
            ctx.fillText(found().holds, x + (right ? -6 : 6) * ratio, bbox.top + 12 * ratio);
          }
        }
        ctx.restore();
      }],
    },
  });

  const axis = (label, values, size) => ({ label, labelSize: 18, size, font: "12px Plex, sans-serif", labelFont: "12px Plex, sans-serif", stroke: () => colour("--ink-soft"), grid: { stroke: () => colour("--rule"), width: 1 }, ticks: { stroke: () => colour("--rule") }, values });

  const chart = (root, title, height, series, found, sync, range, along = true) => new window.uPlot({
    width: root.clientWidth || 600,
    height,
    plugins: [marks(found)],
    cursor: { sync: sync ? { key: "outage" } : undefined, drag: { x: true, y: false }, points: { size: 6 } },
    // Without a pointer a legend names its lines and no values.
    hooks: { setCursor: [(u) => u.root.classList.toggle("is-pointed", u.cursor.left >= 0)] },
    legend: { live: true, markers: { width: 3, dash: (_, n) => ["solid", "dashed", "dotted", "double"][(n - 1) % 4] } },
    scales: { x: { time: false }, y: range ? { range } : {} },
    series: [{ label: "after", value: (_, v) => (v === null || v === undefined ? "" : hours(v)) }, ...series],
    axes: [along ? axis("hours after the mains fails", null, 38) : { ...axis("", null, 24), labelSize: 0 }, axis(title, null, 56)],
  }, [[0], ...series.map(() => [null])], root);

  document.addEventListener("alpine:init", () => {
    window.Alpine.data("outage", () => ({
      holds: "", why: "", overload: "", averaged: "", chance: "Sampling outages …", said: "Terminal voltage over time", csv: "", alarm: false, warms: false,
      charts: {}, lines: [], survivalChart: null, asking: false, again: false,

      init() {
        this.play().then(() => this.sample(1));
        window.addEventListener("resize", () => {
          for (const [name, u] of Object.entries(this.charts)) u.setSize({ width: this.box(name).clientWidth || 600, height: u.height });
          if (this.survivalChart) this.survivalChart.setSize({ width: this.$refs.survival.clientWidth, height: this.survivalChart.height });
        });
        // The charts are drawn in the colours of the theme.
        new MutationObserver(() => { for (const u of [...Object.values(this.charts), this.survivalChart]) if (u) u.redraw(); })
          .observe(document.documentElement, { attributes: true, attributeFilter: ["data-theme"] });
      },

      box(name) { return this.$root.querySelector(`[data-plot=${name}]`); },

      asked() {
        const values = { supply: this.$root.dataset.supply };
        this.alarm = this.$root.querySelector(".turns input[name=alarm]").checked;
        if (this.alarm) values.alarm = "1";
        // Only what was turned is asked for: the rest is as it is at each supply.
        for (const input of this.$root.querySelectorAll(".turns input[type=range]")) if (input.value !== input.dataset.stands || (this.alarm && input.name.startsWith("alarm"))) values[input.name] = input.value;
        return new URLSearchParams(values);
      },

      turned(input) {
        this.$root.querySelector(`[data-of=${input.name}]`).textContent = `${Number(input.value)} ${input.dataset.unit}`;
        input.setAttribute("aria-valuetext", `${Number(input.value)} ${input.dataset.unit}`);
        this.play();
      },

      reset() {
        this.$root.querySelector(".turns input[name=alarm]").checked = false;
        for (const input of this.$root.querySelectorAll(".turns input[type=range]")) { input.value = input.dataset.stands; this.$root.querySelector(`[data-of=${input.name}]`).textContent = input.dataset.each || `${Number(input.value)} ${input.dataset.unit}`; }
        this.play();
      },

      // One question at a time; what was turned meanwhile is asked for next.
      async play() {
        if (this.asking) { this.again = true; return; }
        this.asking = true;
        const asked = this.asked();
        const { status, data } = await window.ypomoni.send(this.$root.dataset.play + "?" + asked);
        this.asking = false;
        if (status === 200) {
          this.csv = this.$root.dataset.csv + "?" + asked;
          this.lines = data.lines;
          this.draw();
        } else {
          this.holds = "";
          this.why = data.message || "This cannot be played just now.";
        }
        this.$root.dataset.played = String(Number(this.$root.dataset.played || 0) + 1);
        if (this.again) { this.again = false; await this.play(); }
      },

      draw() {
        const whole = this.lines.length > 1 || this.$root.dataset.supply === "all";
        const first = this.lines[0];
        const ended = this.lines.filter((line) => line.end_h !== null).sort((a, b) => a.end_h - b.end_h);
        this.holds = whole ? (ended.length ? `${ended[0].name}: ${ended[0].holds}.` : "All hold.") : `${first.holds}.`;
        this.why = whole && ended.length ? ended[0].why : first.why;
        this.overload = whole ? "" : first.overload;
        this.averaged = first.averaged ? first.averaged + " ·" : "";
        this.$refs.events.innerHTML = whole ? this.lines.map((line) => `<h3></h3>${line.events}`).join("") : first.events;
        if (whole) [...this.$refs.events.querySelectorAll("h3")].forEach((head, n) => { head.textContent = this.lines[n].name; });
        if (whole) this.drawWhole(); else this.drawOne(first);
      },

      drawOne(line) {
        const now = () => this.lines[0];
        this.warms = new Set(line.degc).size > 1;
        this.said = `Terminal voltage over time. ${line.why}`;
        const wanted = { v: ["terminal voltage, V", "V", 2, (_, low, high) => this.span(low, high)], ...BELOW };
        for (const [name, [title, unit, digits, range]] of Object.entries(wanted)) {
          const root = this.box(name);
          if (name === "degc" && !this.warms) continue;
          if (!this.charts[name]) {
            const series = { label: title.split(",")[0], stroke: () => colour("--r0"), width: 1.5, points: { show: false }, value: (_, v) => (v === null ? "" : `${number(v, digits)} ${unit}`) };
            const own = () => ({ ...now(), limits: name === "v" ? now().limits : [], holds: name === "v" ? now().holds : "" });
            this.charts[name] = chart(root, title, name === "v" ? 262 : 100, [series], own, true, range, name === "v");
          }
          this.charts[name].setData([line.t, line[name]]);
        }
      },

      // The voltages that are watched stay in sight, and a collapse to nothing does not flatten the rest.
      span(low, high) {
        const watched = this.lines.flatMap((line) => line.limits.map((limit) => limit.v)).filter((v) => v > (low ?? high) - 0.6);
        const least = Math.max(Math.min(low ?? high, ...watched), high * 0.7);
        return [least - 0.04 * (high - least + 0.5), Math.max(high, ...watched) + 0.06 * (high - least + 0.5)];
      },

      drawWhole() {
        // Supplies of different voltages are drawn on one scale, as a share of what they are named by.
        const differ = new Set(this.lines.map((line) => line.nominal_v)).size > 1;
        this.warms = this.lines.some((line) => new Set(line.degc).size > 1);
        this.said = `Terminal voltage of ${this.lines.length} supplies over time. ${this.why}`;
        const wanted = { v: differ ? ["terminal voltage, % of nominal", "%", 1, undefined] : ["terminal voltage, V", "V", 2, undefined], ...BELOW };
        const ends = () => ({ limits: [], marks: this.lines.filter((line) => line.end_h !== null).map((line) => ({ t: line.end_h, kind: "cutoff", name: `${line.name} ${line.holds}` })), must_h: new Set(this.lines.map((line) => line.must_h)).size === 1 ? this.lines[0].must_h : null, end_h: null });
        for (const [name, [title, unit, digits, range]] of Object.entries(wanted)) {
          if (name === "degc" && !this.warms) continue;
          const tables = this.lines.map((line) => [line.t, line[name === "v" && differ ? "of_nominal" : name]]);
          if (!this.charts[name]) {
            const series = this.lines.map((line, n) => ({ label: line.name, stroke: () => colour(SHADES[n % SHADES.length]), dash: DASHES[n % DASHES.length], width: name === "v" ? 2 : 1.5, spanGaps: true, points: { show: false }, value: (_, v) => (v === null || v === undefined ? "" : `${number(v, digits)} ${unit}`) }));
            // The ends are named once, on the first chart.
            const found = name === "v" ? ends : () => ({ ...ends(), marks: ends().marks.map((mark) => ({ ...mark, name: "" })) });
            this.charts[name] = chart(this.box(name), title, name === "v" ? 300 : 130, series, found, true, range, name === "v");
          }
          this.charts[name].setData(window.uPlot.join(tables, tables.map(() => [null, 2])));
        }
      },

      // The curve is drawn as it grows.
      async sample(chunks) {
        if (!this.$refs.survival) return;
        const { status, data } = await window.ypomoni.send(`${this.$root.dataset.survival}?${new URLSearchParams({ supply: this.$root.dataset.supply, chunks })}`);
        if (status !== 200) { this.chance = data.message || "The outages could not be sampled just now."; return; }
        this.chance = data.text;
        if (!this.survivalChart) {
          const series = { label: "still holds", stroke: () => colour("--r0"), fill: () => colour("--tree-open"), width: 2, points: { show: false }, value: (_, v) => (v === null ? "" : `${number(v, 0)} %`) };
          this.survivalChart = chart(this.$refs.survival, "still holds, %", 230, [series], () => ({ must_h: data.must_h }), false, () => [0, 104]);
        }
        this.survivalChart.setData([data.hours, data.holds]);
        this.$root.dataset.sampled = String(data.samples);
        if (data.more) await this.sample(chunks + 1);
      },
    }));
  });
})();
