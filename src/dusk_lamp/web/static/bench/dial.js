// The dial: draws a lamp or a nozzle on the dome and reports where it was put.
const RIM = 0.28; // width of the zone below the horizon

export class Dial {
  constructor(svg, moved, settled, step = 5, fine = 1) {
    Object.assign(this, { svg, moved, settled });
    this.lamp = svg.querySelector(".lamp-disc");
    this.core = svg.querySelector(".lamp-core");
    this.ray = svg.querySelector(".ray");
    let dragging = false;
    svg.addEventListener("pointerdown", (e) => {
      svg.setPointerCapture(e.pointerId);
      dragging = true;
      this.put(e);
    });
    svg.addEventListener("pointermove", (e) => {
      if (dragging) this.put(e);
    });
    for (const end of ["pointerup", "pointercancel"])
      svg.addEventListener(end, () => {
        if (dragging) {
          dragging = false;
          settled();
        }
      });
    svg.addEventListener("keydown", (e) => {
      const by = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1] }[e.key];
      if (!by) return;
      e.preventDefault();
      const turn = e.shiftKey ? fine : step;
      const azimuth = ((this.azimuth + by[0] * turn + 540) % 360) - 180;
      const elevation = Math.max(-90, Math.min(90, this.elevation + by[1] * turn));
      moved(azimuth, elevation);
      settled();
    });
  }

  // centre = overhead, rim = horizon, past the rim = below; the front of the figure points down
  put(e) {
    const p = new DOMPoint(e.clientX, e.clientY).matrixTransform(this.svg.getScreenCTM().inverse());
    const r = Math.min(Math.hypot(p.x, p.y), 1 + RIM);
    const elevation = r <= 1 ? 90 * (1 - r) : (-90 * (r - 1)) / RIM;
    const azimuth = r < 0.02 ? 0 : (Math.atan2(p.x, p.y) * 180) / Math.PI;
    this.moved(Math.round(azimuth), Math.round(elevation));
  }

  show(azimuth, elevation, size) {
    this.azimuth = azimuth;
    this.elevation = elevation;
    const r = elevation >= 0 ? 1 - elevation / 90 : 1 - (RIM * elevation) / 90;
    const a = (azimuth * Math.PI) / 180,
      x = r * Math.sin(a),
      y = r * Math.cos(a);
    for (const c of [this.lamp, this.core]) {
      c.setAttribute("cx", x);
      c.setAttribute("cy", y);
    }
    this.lamp.setAttribute("r", Math.max(0.075, size / 180));
    this.ray.setAttribute("d", `M${x} ${y}L0 0`);
    this.svg.classList.toggle("is-below", elevation < 0);
    this.svg.setAttribute("aria-valuenow", String(Math.round(elevation)));
    this.svg.setAttribute("aria-valuetext", `${Math.round(azimuth)}° around, ${Math.round(elevation)}° above level`);
  }
}
