// Draws a stretch of a capture with its levels and findings in place, and moves through it by keys, mouse and touch. The server
// gives at most some two thousand columns of least and greatest volts, so peaks stay at every zoom; nothing is measured here.
document.addEventListener("alpine:init", () => {
  Alpine.data("waveform", () => ({
    ...window.stretch,
    picture: null,
    finest: 2e6,
    data: null,
    overview: null,
    finding: -1,

    init() {
      this.picture = JSON.parse(this.$root.dataset.picture);
      this.from = this.picture.from_s;
      this.until = this.picture.until_s;
      this.follow(this.canvas("wave"), this.canvas("whole"));
      this.fetchStretch(0, this.picture.seconds, 1000).then((found) => {
        this.overview = found;
        this.draw();
      });
      this.look();
    },

    async fetchStretch(from, until, columns) {
      const address = new URL(this.$root.dataset.stretch, location.href);
      address.search = new URLSearchParams({ from_s: from, until_s: until, columns });
      const answer = await fetch(address);
      return answer.ok ? answer.json() : null;
    },

    // The stretch that is shown now; keys and fingers move faster than answers come, so only the last one counts.
    look() {
      this.draw();
      clearTimeout(this.timer);
      const mine = ++this.asked;
      this.timer = setTimeout(async () => {
        const width = Math.max(300, Math.min(2000, Math.round(this.canvas("wave").clientWidth)));
        const found = await this.fetchStretch(this.from, this.until, width).catch(() => null);
        if (found && mine === this.asked) {
          this.data = found;
          this.draw();
        }
      }, 40);
    },

    places() {
      return this.picture.findings.flatMap((f) => f.at_s.map((at) => ({ number: f.number, at, wide: f.wide_s }))).sort((a, b) => a.at - b.at);
    },

    step(by) {
      const places = this.places();
      if (!places.length) return;
      const middle = (this.from + this.until) / 2;
      let index = by > 0 ? places.findIndex((p) => p.at + p.wide / 2 > middle + 1e-9) : places.findLastIndex((p) => p.at + p.wide / 2 < middle - 1e-9);
      if (index < 0) index = by > 0 ? 0 : places.length - 1;
      this.centre(places[index]);
    },

    show(event) {
      const number = Number(event.currentTarget.dataset.finding);
      const place = this.places().find((p) => p.number === number);
      if (place) this.centre(place);
      this.canvas("wave").scrollIntoView({ block: "nearest" });
    },

    centre(place) {
      const middle = place.at + place.wide / 2;
      const wide = Math.min(Math.max(this.until - this.from, 1.5 * place.wide), Math.max(12 * place.wide, this.picture.until_s - this.picture.from_s));
      this.view(middle - wide / 2, middle + wide / 2);
    },

    // Drawing

    plot() {
      return this.frame(this.canvas("wave"));
    },

    frame(canvas) {
      const [left, right] = canvas.clientWidth < 560 ? [46, 8] : [62, 74];
      return { left, right, top: 30, width: canvas.clientWidth - left - right, height: canvas.clientHeight - 30 - 30 };
    },

    volts() {
      const of = this.overview || this.data;
      if (!of) return [0, 5];
      const low = Math.min(0, ...of.low_v);
      const high = Math.max(...of.high_v);
      const room = 0.06 * (high - low || 1);
      return [low - room, high + room];
    },

    draw() {
      const canvas = this.canvas("wave");
      if (!canvas.clientWidth) return;
      const pen = this.pen(canvas);
      const frame = this.frame(canvas);
      const colour = this.colours();
      const [low, high] = this.volts();
      const x = (t) => frame.left + ((t - this.from) / (this.until - this.from)) * frame.width;
      const y = (v) => frame.top + frame.height - ((v - low) / (high - low)) * frame.height;
      pen.font = '600 14px "Hyperlegible Mono", monospace';
      this.grid(pen, frame, colour, x, y, low, high);
      pen.save();
      pen.beginPath();
      pen.rect(frame.left, 0, frame.width, canvas.clientHeight);
      pen.clip();
      this.marks(pen, frame, colour, x);
      if (this.data) this.trace(pen, this.data, colour.wave, x, y);
      pen.restore();
      this.levels(pen, frame, colour, y);
      this.small(colour, low, high);
      this.$root.querySelector("[data-range]").textContent = `${this.time(this.from)} to ${this.time(this.until)} of ${this.time(this.picture.seconds)}`;
    },

    grid(pen, frame, colour, x, y, low, high) {
      pen.fillStyle = colour.sunk;
      pen.fillRect(frame.left, frame.top, frame.width, frame.height);
      pen.strokeStyle = colour.line;
      pen.fillStyle = colour.soft;
      pen.lineWidth = 1;
      pen.textAlign = "right";
      pen.textBaseline = "middle";
      const volt = this.round((high - low) / 4);
      for (let v = Math.ceil(low / volt) * volt; v <= high; v += volt) {
        this.stroke(pen, frame.left, y(v), frame.left + frame.width, y(v));
        pen.fillText(`${Number(v.toPrecision(3))} V`.replace("-", "−"), frame.left - 6, y(v));
      }
      pen.textAlign = "center";
      pen.textBaseline = "top";
      const every = this.round((this.until - this.from) / Math.max(3, frame.width / 150));
      const begin = Math.ceil(this.from / every) * every;
      for (let n = 0; begin + n * every <= this.until; n += 1) {
        const t = begin + n * every;
        this.stroke(pen, x(t), frame.top, x(t), frame.top + frame.height);
        if (x(t) > frame.left + 20 && x(t) < frame.left + frame.width - 20) pen.fillText(this.time(t, every), x(t), frame.top + frame.height + 8);
      }
    },

    marks(pen, frame, colour, x) {
      let last = -99;
      for (const place of this.places()) {
        const left = x(place.at);
        const right = Math.max(x(place.at + place.wide), left + 3);
        if (right < frame.left || left > frame.left + frame.width) continue;
        pen.fillStyle = colour.found;
        pen.globalAlpha = 0.75;
        pen.fillRect(left, frame.top, right - left, frame.height);
        pen.globalAlpha = 1;
        pen.strokeStyle = colour.edge;
        pen.lineWidth = 1.5;
        pen.strokeRect(left, frame.top, right - left, frame.height);
        const middle = Math.min(Math.max((left + right) / 2, frame.left + 14), frame.left + frame.width - 14);
        if (middle - last < 26) continue;
        last = middle;
        pen.fillStyle = colour.ink;
        pen.fillRect(middle - 12, 3, 24, 22);
        pen.fillStyle = colour.surface;
        pen.textAlign = "center";
        pen.textBaseline = "middle";
        pen.fillText(String(place.number), middle, 15);
      }
    },

    // Where a column holds more than a point its least and greatest are joined upright, so that no peak is lost.
    trace(pen, data, ink, x, y) {
      pen.strokeStyle = ink;
      pen.lineWidth = 1.8;
      pen.lineJoin = "round";
      pen.beginPath();
      for (let n = 0; n < data.time_s.length; n += 1) {
        const at = x(data.time_s[n]);
        const low = y(data.low_v[n]);
        const high = y(data.high_v[n]);
        if (n === 0) pen.moveTo(at, low);
        else pen.lineTo(at, low);
        if (high !== low) pen.lineTo(at, high);
      }
      pen.stroke();
    },

    levels(pen, frame, colour, y) {
      pen.textAlign = "left";
      pen.textBaseline = "middle";
      for (const level of this.picture.levels) {
        pen.strokeStyle = colour.level;
        pen.lineWidth = 2;
        pen.setLineDash([9, 6]);
        this.stroke(pen, frame.left, y(level.volts), frame.left + frame.width, y(level.volts));
        pen.setLineDash([]);
        pen.fillStyle = colour.ink;
        const text = `${level.volts.toFixed(2)} V`.replace("-", "−");
        const inside = frame.right < 60;
        pen.textAlign = inside ? "right" : "left";
        if (inside) pen.fillText(text, frame.left + frame.width - 4, y(level.volts) + (level.name === "high" ? 12 : -12));
        else pen.fillText(text, frame.left + frame.width + 6, y(level.volts));
      }
    },

    small(colour, low, high) {
      const canvas = this.canvas("whole");
      if (!canvas.clientWidth) return;
      const pen = this.pen(canvas);
      const wide = canvas.clientWidth;
      const tall = canvas.clientHeight;
      const x = (t) => (t / this.picture.seconds) * wide;
      pen.fillStyle = colour.sunk;
      pen.fillRect(0, 0, wide, tall);
      if (this.overview) this.trace(pen, this.overview, colour.level, x, (v) => tall - 4 - ((v - low) / (high - low)) * (tall - 8));
      pen.fillStyle = colour.edge;
      for (const place of this.places()) pen.fillRect(x(place.at) - 1, 0, 3, 7);
      pen.strokeStyle = colour.ink;
      pen.lineWidth = 3;
      pen.strokeRect(x(this.from) + 1.5, 1.5, Math.max(x(this.until) - x(this.from) - 3, 3), tall - 3);
    },

    time(seconds, step) {
      const size = step === undefined ? Math.max(this.until - this.from, 1e-9) / 100 : step;
      const [factor, unit] = size < 1e-5 ? [1e6, "µs"] : size < 1e-2 ? [1e3, "ms"] : [1, "s"];
      const decimals = Math.max(0, Math.min(6, -Math.floor(Math.log10(size * factor) + 1e-9)));
      return `${(seconds * factor).toFixed(decimals)} ${unit}`;
    },
  }));
});
