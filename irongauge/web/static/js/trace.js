// Draws channels of a log above each other with one time cursor and the findings in place, and moves by keys, mouse and touch. The
// server gives at most some two thousand columns of least and greatest values, so peaks stay at every zoom; nothing is judged here.
document.addEventListener("alpine:init", () => {
  Alpine.data("logState", () => ({
    init() {
      this.look();
    },

    async look() {
      const answer = await fetch(this.$root.dataset.state).catch(() => null);
      const told = answer?.ok ? await answer.json() : null;
      if (told && (told.state === "ready" || told.state === "refused")) return location.reload();
      if (told) {
        this.$root.querySelector("[data-share]").value = told.share;
        this.$root.querySelector("[data-doing]").textContent = told.doing;
      }
      setTimeout(() => this.look(), 700);
    },
  }));

  // The stretch that is drawn, as the one on which the vehicle was well.
  Alpine.data("wellStretch", () => ({
    take() {
      const drawn = document.querySelector("[data-picture]").dataset;
      for (const end of ["from", "until"]) this.$root.querySelector(`[name="${end}_s"]`).value = drawn[end];
    },
  }));

  Alpine.data("trace", () => ({
    ...window.stretch,
    picture: null,
    finest: 2e5,
    drawn: [],
    data: new Map(),
    clouds: 0,

    init() {
      this.picture = JSON.parse(this.$root.dataset.picture);
      this.until = this.picture.seconds;
      this.drawn = this.picture.drawn;
      this.follow(this.canvas("traces"), this.canvas("whole"));
      this.fit();
    },

    fit() {
      this.canvas("traces").style.height = `${34 + Math.max(1, this.drawn.length) * 92}px`;
      this.look();
    },

    async fetched(places, columns) {
      const address = new URL(this.$root.dataset.stretch, location.href);
      address.search = new URLSearchParams({ from_s: this.from, until_s: this.until, channels: places.join(","), columns });
      const answer = await fetch(address);
      return answer.ok ? answer.json() : [];
    },

    // Keys and fingers move faster than answers come, so only the last one counts; until then what is there is moved along.
    look() {
      this.$root.dataset.from = this.from.toFixed(1);
      this.$root.dataset.until = this.until.toFixed(1);
      this.draw();
      clearTimeout(this.timer);
      const mine = ++this.asked;
      this.timer = setTimeout(async () => {
        const width = Math.max(300, Math.min(1600, Math.round(this.canvas("traces").clientWidth)));
        const found = await this.fetched(this.drawn, width).catch(() => []);
        if (mine !== this.asked) return;
        for (const one of found) this.data.set(one.place, one);
        this.draw();
        if (this.canvas("cloud").clientWidth) this.cloud();
      }, 40);
    },

    step(by) {
      const places = [...this.picture.places].sort((a, b) => a.from_s - b.from_s);
      if (!places.length) return;
      const middle = (this.from + this.until) / 2;
      const at = (p) => (p.from_s + p.until_s) / 2;
      const found = by > 0 ? places.find((p) => at(p) > middle + 1e-6) : places.findLast((p) => at(p) < middle - 1e-6);
      this.centre(found ?? (by > 0 ? places[0] : places.at(-1)));
    },

    show(event) {
      const number = Number(event.currentTarget.dataset.finding);
      const place = this.picture.places.find((p) => p.number === number);
      const channel = this.picture.channels.find((c) => c.name === place?.channel);
      if (channel && !this.drawn.includes(channel.place)) {
        this.drawn = [channel.place, ...this.drawn].slice(0, 8);
        for (const box of this.$root.querySelectorAll(".trace-choose input")) box.checked = this.drawn.includes(Number(box.value));
        this.fit();
      }
      if (place) this.centre(place);
      this.canvas("traces").scrollIntoView({ block: "nearest" });
    },

    centre(place) {
      const middle = (place.from_s + place.until_s) / 2;
      const wide = Math.max(8 * (place.until_s - place.from_s), this.picture.seconds / 60);
      this.view(middle - wide / 2, middle + wide / 2);
    },

    choose(event) {
      const place = Number(event.target.value);
      this.drawn = event.target.checked ? [...this.drawn, place].slice(0, 8) : this.drawn.filter((one) => one !== place);
      event.target.checked = this.drawn.includes(place);
      this.fit();
    },

    // A pointer carries the cursor.
    point(x) {
      this.cursor = this.timeAt(x);
      requestAnimationFrame(() => this.draw());
    },

    // Drawing

    plot() {
      return this.frame();
    },

    frame() {
      const wide = this.canvas("traces").clientWidth;
      return { left: 8, width: Math.max(80, wide - 8 - (wide < 560 ? 96 : 168)) };
    },

    draw() {
      const canvas = this.canvas("traces");
      if (!canvas.clientWidth) return;
      const pen = this.pen(canvas);
      const frame = this.frame();
      const colour = this.colours();
      const x = (t) => frame.left + ((t - this.from) / (this.until - this.from)) * frame.width;
      const tall = (canvas.clientHeight - 34) / Math.max(1, this.drawn.length);
      for (const [n, place] of this.drawn.entries()) this.lane(pen, frame, colour, x, this.picture.channels.find((c) => c.place === place), n * tall, tall - 10);
      this.times(pen, frame, colour, x, canvas.clientHeight);
      if (this.cursor !== null && this.cursor >= this.from && this.cursor <= this.until) {
        pen.strokeStyle = colour.ink;
        pen.lineWidth = 1.5;
        this.stroke(pen, x(this.cursor), 0, x(this.cursor), canvas.clientHeight - 30);
      }
      this.small(colour);
      const where = this.cursor === null ? "" : `, cursor at ${this.time(this.cursor)}`;
      this.$root.querySelector("[data-range]").textContent = `${this.time(this.from)} to ${this.time(this.until)} of ${this.time(this.picture.seconds)}${where}`;
    },

    lane(pen, frame, colour, x, channel, top, tall) {
      const one = this.data.get(channel.place);
      pen.fillStyle = colour.sunk;
      pen.fillRect(frame.left, top, frame.width, tall);
      pen.save();
      pen.beginPath();
      pen.rect(frame.left, top, frame.width, tall);
      pen.clip();
      const places = this.picture.places.filter((p) => p.channel === channel.name || p.channel === "");
      for (const place of places) {
        const left = x(place.from_s);
        const right = Math.max(x(place.until_s), left + 3);
        pen.fillStyle = colour.found;
        pen.fillRect(left, top, right - left, tall);
        pen.strokeStyle = colour.edge;
        pen.lineWidth = 1.5;
        pen.strokeRect(left, top, right - left, tall);
      }
      const low = channel.low ?? 0;
      const high = channel.high ?? 1;
      const room = 0.08 * (high - low || 1);
      const y = (v) => top + tall - ((v - low + room) / (high - low + 2 * room)) * tall;
      if (one) this.line(pen, one, colour.wave, x, y);
      this.numbers(pen, frame, colour, x, places, top);
      pen.restore();
      this.told(pen, frame, colour, channel, one, top, tall, low, high);
    },

    numbers(pen, frame, colour, x, places, top) {
      let last = -99;
      for (const place of places) {
        const at = Math.max(x(place.from_s), frame.left + 1);
        if (x(place.until_s) < frame.left || at - last < 24) continue;
        last = at;
        pen.fillStyle = colour.ink;
        pen.fillRect(at, top, 20, 19);
        pen.fillStyle = colour.surface;
        pen.font = '600 13px "Hyperlegible Mono", monospace';
        pen.textAlign = "center";
        pen.textBaseline = "middle";
        pen.fillText(String(place.number), at + 10, top + 10);
      }
    },

    // A column that holds more than a point is joined upright, so that no peak is lost; where there is no value the line stops.
    line(pen, one, ink, x, y) {
      pen.strokeStyle = ink;
      pen.lineWidth = 1.7;
      pen.lineJoin = "round";
      pen.beginPath();
      let on = false;
      for (let n = 0; n < one.time_s.length; n += 1) {
        if (one.low[n] === null) {
          on = false;
          continue;
        }
        const at = x(one.time_s[n]);
        if (on) pen.lineTo(at, y(one.low[n]));
        else pen.moveTo(at, y(one.low[n]));
        if (one.high[n] !== one.low[n]) pen.lineTo(at, y(one.high[n]));
        on = true;
      }
      pen.stroke();
    },

    told(pen, frame, colour, channel, one, top, tall, low, high) {
      const left = frame.left + frame.width + 8;
      const room = this.canvas("traces").clientWidth - left;
      pen.textAlign = "left";
      pen.textBaseline = "top";
      pen.fillStyle = colour.ink;
      pen.font = '700 14px "Hyperlegible Next", sans-serif';
      pen.fillText(this.cut(pen, channel.name, room), left, top + 2);
      pen.font = '600 19px "Hyperlegible Mono", monospace';
      const value = this.at(one);
      pen.fillText(this.cut(pen, value === null ? "" : this.said(channel, value), room), left, top + 22);
      pen.fillStyle = colour.soft;
      pen.font = '13px "Hyperlegible Mono", monospace';
      pen.fillText(this.cut(pen, `${this.said(channel, low)} to ${this.said(channel, high)}`, room), left, top + tall - 18);
    },

    cut(pen, text, room) {
      let told = text;
      while (told.length > 3 && pen.measureText(told).width > room) told = `${told.slice(0, -2)}…`;
      return told;
    },

    // The value at the cursor: the last that was told before it.
    at(one) {
      if (!one || this.cursor === null) return null;
      let low = 0;
      let high = one.time_s.length - 1;
      if (high < 0 || one.time_s[0] > this.cursor) return null;
      while (low < high) {
        const middle = (low + high + 1) >> 1;
        if (one.time_s[middle] <= this.cursor) low = middle;
        else high = middle - 1;
      }
      return one.low[low] === null ? null : (one.low[low] + one.high[low]) / 2;
    },

    times(pen, frame, colour, x, tall) {
      pen.strokeStyle = colour.line;
      pen.fillStyle = colour.soft;
      pen.lineWidth = 1;
      pen.font = '600 14px "Hyperlegible Mono", monospace';
      pen.textAlign = "center";
      pen.textBaseline = "top";
      const every = this.round((this.until - this.from) / Math.max(2, frame.width / 150));
      for (let t = Math.ceil(this.from / every) * every; t <= this.until; t += every) {
        this.stroke(pen, x(t), 0, x(t), tall - 32);
        if (x(t) > frame.left + 24 && x(t) < frame.left + frame.width - 24) pen.fillText(this.time(t), x(t), tall - 24);
      }
    },

    small(colour) {
      const canvas = this.canvas("whole");
      if (!canvas.clientWidth) return;
      const pen = this.pen(canvas);
      const wide = canvas.clientWidth;
      const x = (t) => (t / this.picture.seconds) * wide;
      pen.fillStyle = colour.sunk;
      pen.fillRect(0, 0, wide, canvas.clientHeight);
      pen.fillStyle = colour.edge;
      for (const place of this.picture.places) pen.fillRect(x(place.from_s), 6, Math.max(2, x(place.until_s) - x(place.from_s)), canvas.clientHeight - 12);
      pen.strokeStyle = colour.ink;
      pen.lineWidth = 2.5;
      pen.strokeRect(x(this.from) + 1, 1.5, Math.max(6, x(this.until) - x(this.from) - 2), canvas.clientHeight - 3);
    },

    // Two channels against each other, over the stretch that is shown.
    async cloud() {
      const canvas = this.canvas("cloud");
      const places = ["x", "y"].map((name) => Number(this.$root.querySelector(`[data-cloud-${name}]`).value));
      const mine = ++this.clouds; // an answer to what was chosen before comes to nothing
      const found = await this.fetched(places, 2000).catch(() => []);
      if (mine !== this.clouds) return;
      const [across, up] = places.map((place) => found.find((one) => one.place === place));
      if (!across || !up || !canvas.clientWidth) return;
      const pen = this.pen(canvas);
      const colour = this.colours();
      pen.fillStyle = colour.sunk;
      pen.fillRect(0, 0, canvas.clientWidth, canvas.clientHeight);
      const ends = places.map((place) => this.picture.channels.find((c) => c.place === place));
      const scale = (c, v, size) => 14 + ((v - c.low) / (c.high - c.low || 1)) * (size - 28);
      pen.fillStyle = colour.wave;
      pen.globalAlpha = 0.5;
      let at = 0;
      for (let n = 0; n < up.time_s.length; n += 1) {
        while (at + 1 < across.time_s.length && across.time_s[at + 1] <= up.time_s[n]) at += 1;
        if (up.low[n] === null || across.low[at] === null || across.low[at] === undefined) continue;
        const px = scale(ends[0], (across.low[at] + across.high[at]) / 2, canvas.clientWidth);
        const py = canvas.clientHeight - scale(ends[1], (up.low[n] + up.high[n]) / 2, canvas.clientHeight);
        pen.fillRect(px - 2, py - 2, 4, 4);
      }
      pen.globalAlpha = 1;
      pen.fillStyle = colour.ink;
      pen.font = '600 14px "Hyperlegible Mono", monospace';
      const line = this.expected(...ends);
      canvas.dataset.expected = line ? line.name : "";
      if (line) {
        pen.strokeStyle = colour.ink;
        pen.lineWidth = 3;
        pen.setLineDash([10, 6]);
        pen.beginPath();
        for (const [a, b] of line.points) pen.lineTo(scale(ends[0], a, canvas.clientWidth), canvas.clientHeight - scale(ends[1], b, canvas.clientHeight));
        pen.stroke();
        pen.setLineDash([]);
        pen.textBaseline = "top";
        pen.textAlign = "right";
        pen.fillText(`- - ${line.name}`, canvas.clientWidth - 8, 4);
      }
      pen.textBaseline = "bottom";
      pen.textAlign = "right";
      pen.fillText(`${ends[0].name}, ${this.said(ends[0], ends[0].low)} to ${this.said(ends[0], ends[0].high)} →`, canvas.clientWidth - 8, canvas.clientHeight - 4);
      pen.textBaseline = "top";
      pen.textAlign = "left";
      pen.fillText(`↑ ${ends[1].name}, ${this.said(ends[1], ends[1].low)} to ${this.said(ends[1], ends[1].high)}`, 8, 4);
    },

    // A value with its unit; some displays split their scale at zero, inches of mercury below and psi above.
    said(channel, value) {
      if (!channel.split) return `${this.short(value)} ${channel.unit}`;
      return value < 0 ? `${this.short(-value * channel.split[0])} inHg vac` : `${this.short(value * channel.split[1])} psi`;
    },

    // What the two should be by each other: the curve of a sensor over its volts, or the same where both are one thing.
    expected(x, y) {
      const curved = [
        [x, y, (point) => point],
        [y, x, ([volts, value]) => [value, volts]],
      ].find(([volts, value]) => volts.unit === "V" && value.curve);
      if (curved) return { points: curved[1].curve.map(curved[2]), name: `curve of ${curved[1].name}` };
      if (!x.unit || x.unit !== y.unit || x.place === y.place) return null;
      const ends = [Math.min(x.low, y.low), Math.max(x.high, y.high)];
      return { points: ends.map((end) => [end, end]), name: "both the same" };
    },

    short(value) {
      const text = Number(value.toPrecision(4)).toString();
      return text.replace("-", "−");
    },

    time(seconds) {
      const fine = this.until - this.from < 20 ? 2 : 0;
      const told = Number(seconds.toFixed(fine));
      const whole = Math.floor(told / 60);
      const rest = told - 60 * whole;
      return `${whole}:${rest.toFixed(fine).padStart(fine ? 5 : 2, "0")}`;
    },
  }));
});
