// The stretch of a record that is shown: moved and zoomed by keys, wheel, mouse and fingers, on one canvas or on the small one of
// the whole. What is spread into has `picture.seconds`, `finest` (how many times closer than the whole it may be looked at),
// `plot()` with the left end and width of its time axis, `look()` to fetch and draw, `step(by)` to the next finding, and may have
// `point(x)`, told where a pointer is.
window.stretch = {
  from: 0,
  until: 1,
  cursor: null,
  asked: 0,
  timer: 0,
  pointers: null,

  follow(canvas, whole) {
    this.pointers = new Map();
    canvas.addEventListener("wheel", (e) => this.wheel(e), { passive: false });
    canvas.addEventListener("pointerdown", (e) => this.down(e));
    canvas.addEventListener("pointermove", (e) => this.drag(e));
    for (const end of ["pointerup", "pointercancel"]) canvas.addEventListener(end, (e) => this.pointers.delete(e.pointerId));
    for (const kind of ["pointerdown", "pointermove"]) whole.addEventListener(kind, (e) => this.jump(e));
    new ResizeObserver(() => this.draw()).observe(canvas);
    new MutationObserver(() => this.draw()).observe(document.documentElement, { attributes: true, attributeFilter: ["data-bs-theme"] });
  },

  canvas(name) {
    return this.$root.querySelector(`canvas[data-${name}]`);
  },

  view(from, until) {
    const all = this.picture.seconds;
    const wide = Math.min(Math.max(until - from, all / this.finest), all);
    this.from = Math.min(Math.max(from, 0), all - wide);
    this.until = this.from + wide;
    this.look();
  },

  move(share) {
    const by = share * (this.until - this.from);
    this.view(this.from + by, this.until + by);
  },

  zoom(factor, at) {
    const about = at ?? this.cursor ?? (this.from + this.until) / 2;
    this.view(about - (about - this.from) * factor, about + (this.until - about) * factor);
  },

  left() {
    this.move(-0.25);
  },

  right() {
    this.move(0.25);
  },

  closer() {
    this.zoom(0.5);
  },

  wider() {
    this.zoom(2);
  },

  whole() {
    this.view(0, this.picture.seconds);
  },

  next() {
    this.step(1);
  },

  press(event) {
    if (event.ctrlKey || event.metaKey || event.altKey || event.target.matches("input, select, textarea")) return;
    const does = {
      ArrowLeft: () => this.left(), ArrowRight: () => this.right(), "+": () => this.closer(), "=": () => this.closer(),
      "-": () => this.wider(), 0: () => this.whole(), n: () => this.step(1), p: () => this.step(-1),
    }[event.key.length === 1 ? event.key.toLowerCase() : event.key];
    if (!does) return;
    event.preventDefault();
    does();
  },

  timeAt(x) {
    const plot = this.plot();
    return this.from + ((x - plot.left) / plot.width) * (this.until - this.from);
  },

  wheel(event) {
    event.preventDefault();
    if (event.shiftKey || Math.abs(event.deltaX) > Math.abs(event.deltaY)) this.move((event.deltaX || event.deltaY) / 800);
    else this.zoom(Math.exp(event.deltaY / 400), this.timeAt(event.offsetX));
  },

  down(event) {
    event.target.setPointerCapture(event.pointerId);
    this.pointers.set(event.pointerId, event.offsetX);
    this.point?.(event.offsetX);
  },

  // One finger moves, two zoom about the point between them; a pointer without a button only points.
  drag(event) {
    const before = this.pointers.get(event.pointerId);
    if (before === undefined) {
      this.point?.(event.offsetX);
      return;
    }
    this.pointers.set(event.pointerId, event.offsetX);
    if (this.pointers.size === 1) {
      const by = ((before - event.offsetX) * (this.until - this.from)) / this.plot().width;
      this.view(this.from + by, this.until + by);
      return;
    }
    const other = [...this.pointers].find(([id]) => id !== event.pointerId)[1];
    const factor = Math.max(Math.abs(before - other), 20) / Math.max(Math.abs(event.offsetX - other), 20);
    this.zoom(factor, this.timeAt((event.offsetX + other) / 2));
  },

  jump(event) {
    if (event.type === "pointermove" && !event.buttons) return;
    const middle = (event.offsetX / event.target.clientWidth) * this.picture.seconds;
    const half = (this.until - this.from) / 2;
    this.view(middle - half, middle + half);
  },

  // Drawing

  pen(canvas) {
    const ratio = window.devicePixelRatio || 1;
    canvas.width = Math.round(canvas.clientWidth * ratio);
    canvas.height = Math.round(canvas.clientHeight * ratio);
    const pen = canvas.getContext("2d");
    pen.scale(ratio, ratio);
    return pen;
  },

  colours() {
    const style = getComputedStyle(document.documentElement);
    const named = (name) => style.getPropertyValue(`--${name}`).trim();
    return { ink: named("ink"), soft: named("soft"), line: named("line"), wave: named("signal"), level: named("band-edge"), found: named("band-now"), edge: named("band-now-edge"), sunk: named("sunk"), surface: named("surface") };
  },

  stroke(pen, x0, y0, x1, y1) {
    pen.beginPath();
    pen.moveTo(x0, y0);
    pen.lineTo(x1, y1);
    pen.stroke();
  },

  // 1, 2 or 5 times a power of ten, not below a step.
  round(step) {
    const tens = 10 ** Math.floor(Math.log10(step));
    return [1, 2, 5, 10].find((n) => n * tens >= step) * tens;
  },
};
