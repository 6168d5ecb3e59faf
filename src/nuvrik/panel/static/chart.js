// The last minute: states as shades, what outputs are told as lines. Ten points a second are kept, and it is
// drawn five times a second: more is not seen.

const POINTS = 600;
const POINT_MS = 100;
const DRAW_MS = 200;
const LINES = 4;

export class Chart {
  constructor(canvas, names) {
    this.canvas = canvas;
    this.names = names;
    this.points = [];
    this.pointAt = 0;
    this.drawnAt = 0;
    this.outputs = [];
  }

  know(link) {
    this.outputs = link.outputs.map((one) => one.name).slice(0, LINES);
    this.points = [];
    const dashes = ["━━", "╍╍", "┈┈", "━·━"];
    this.names.textContent = this.outputs.map((name, at) => `${dashes[at]} ${name.replaceAll("_", " ")}`).join("   ");
  }

  take(state, seen, now) {
    if (now - this.pointAt < POINT_MS) return;
    this.pointAt = now;
    const told = seen?.machine?.outputs ?? {};
    this.points.push({ at: now, state, levels: this.outputs.map((name) => told[name]?.[0] ?? null) });
    if (this.points.length > POINTS) this.points.shift();
  }

  draw(now) {
    if (now - this.drawnAt < DRAW_MS || this.canvas.offsetParent === null) return;
    this.drawnAt = now;
    const scale = window.devicePixelRatio || 1;
    const width = this.canvas.clientWidth;
    const height = this.canvas.clientHeight;
    if (this.canvas.width !== Math.round(width * scale)) {
      this.canvas.width = Math.round(width * scale);
      this.canvas.height = Math.round(height * scale);
    }
    const pen = this.canvas.getContext("2d");
    const style = getComputedStyle(this.canvas);
    pen.setTransform(scale, 0, 0, scale, 0, 0);
    pen.clearRect(0, 0, width, height);
    const x = (at) => width - ((now - at) * width) / (POINTS * POINT_MS);
    this.points.forEach((point, at) => {
      const next = this.points[at + 1]?.at ?? now;
      pen.fillStyle = style.getPropertyValue(`--chart-${point.state.toLowerCase().replaceAll(" ", "-")}`) || "#888";
      pen.fillRect(x(point.at), 0, x(next) - x(point.at) + 0.5, height);
    });
    pen.strokeStyle = style.getPropertyValue("--rule");
    pen.lineWidth = 1;
    pen.beginPath();
    pen.moveTo(0, height / 2);
    pen.lineTo(width, height / 2);
    pen.stroke();
    const dashes = [[], [8, 4], [2, 3], [8, 3, 2, 3]];
    this.outputs.forEach((_, line) => {
      pen.strokeStyle = style.getPropertyValue(`--line-${line}`);
      pen.setLineDash(dashes[line]);
      pen.lineWidth = 2;
      pen.beginPath();
      let drawing = false;
      for (const point of this.points) {
        const level = point.levels[line];
        if (level === null) {
          drawing = false;
          continue;
        }
        const y = height / 2 - (level / 1000) * (height / 2 - 4);
        if (drawing) pen.lineTo(x(point.at), y);
        else pen.moveTo(x(point.at), y);
        drawing = true;
      }
      pen.stroke();
    });
    pen.setLineDash([]);
  }
}
