// Shows what a bus tells as it comes. The server works everything out and sends it as events; a browser that slept is told by the
// stream itself where it was, and gets all that came since. Here it is only put in place, and the last minute drawn as a line.
const MINUTE_S = 60;
const STALE_MS = 2000;

document.addEventListener("alpine:init", () => {
  Alpine.data("watching", () => ({
    source: null,
    heard: 0,
    age: 0,
    lines: new Map(),
    timer: 0,

    init() {
      this.source = new EventSource(this.$root.dataset.events);
      this.source.addEventListener("values", (event) => this.take(JSON.parse(event.data)));
      this.source.addEventListener("silent", (event) => this.say("silent", JSON.parse(event.data).trouble));
      this.source.addEventListener("error", () => this.say("not connected", "The server is asked again; nothing recorded is lost."));
      this.timer = setInterval(() => this.grow(), 500);
      window.addEventListener("pagehide", () => this.source.close());
    },

    take(told) {
      if (!told.tiles) return;
      this.heard = performance.now();
      this.age = told.age_s;
      // What is watched, or what the bus has, is no longer what this page was made for. Once: an event that comes while a slow
      // page is on its way would begin it anew, and it would never arrive.
      if (told.tiles.some((tile) => !this.box(tile))) {
        this.source.close();
        location.reload();
        return;
      }
      for (const [at, tile] of told.tiles.entries()) this.fill(tile, told.points, at);
      this.say("fresh", "");
    },

    box(tile) {
      return [...this.$root.querySelectorAll("[data-tile]")].find((one) => one.dataset.tile === tile.name);
    },

    fill(tile, points, at) {
      const box = this.box(tile);
      box.querySelector("[data-text]").textContent = tile.text;
      box.querySelector("[data-unit]").textContent = tile.unit;
      box.querySelector("[data-reach]").textContent = tile.reach;
      box.classList.toggle("beyond", tile.is_beyond);
      const beyond = box.querySelector("[data-beyond]");
      if (beyond) beyond.hidden = !tile.is_beyond;
      box.querySelector("[data-standing-line]").hidden = !tile.standing;
      box.querySelector("[data-standing]").textContent = tile.standing;
      box.querySelector("[data-mark]").textContent = tile.mark;
      const line = this.lines.get(tile.name) ?? [];
      for (const point of points) if (point[at + 1] !== null) line.push([point[0], point[at + 1]]);
      const until = line.length ? line[line.length - 1][0] : 0;
      while (line.length && line[0][0] < until - MINUTE_S) line.shift();
      this.lines.set(tile.name, line);
      box.querySelector("[data-line]").setAttribute("d", this.path(line, until));
    },

    path(line, until) {
      const values = line.map((point) => point[1]);
      const low = Math.min(...values);
      const high = Math.max(...values);
      const span = Math.max(high - low, 0.04 * Math.abs(high), 1e-6); // noise is not drawn as a mountain
      const middle = (low + high) / 2;
      const place = ([t, value]) => `${(100 - ((until - t) / MINUTE_S) * 100).toFixed(1)} ${(12 - ((value - middle) / span) * 20).toFixed(1)}`;
      return line.map((point, at) => `${at ? "L" : "M"}${place(point)}`).join("");
    },

    grow() {
      if (this.heard && performance.now() - this.heard > STALE_MS && this.source.readyState === EventSource.OPEN) {
        const seconds = (this.age + (performance.now() - this.heard) / 1000).toFixed(0);
        this.say("silent", `Nothing for ${seconds} s. These values are old.`);
      }
    },

    say(state, more) {
      const chip = this.$root.querySelector("[data-fresh]");
      if (chip.textContent !== state) chip.textContent = state;
      const said = this.$root.querySelector("[data-said]");
      if (said.textContent !== more) said.textContent = more;
      this.$root.classList.toggle("stale", state !== "fresh");
    },
  }));
});
