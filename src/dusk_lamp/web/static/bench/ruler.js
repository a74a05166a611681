// The value ruler: the surface's area at each value drawn on its own grey, the ladder's steps under it, notches to
// slide.
const NS = "http://www.w3.org/2000/svg";

export class Ruler {
  constructor(svg, steps, greys, { touched, slid, settled }) {
    Object.assign(this, { svg, steps, greys, touched, slid, settled });
  }

  histogram(areas) {
    const top = Math.max(...areas, 1e-9);
    this.svg.replaceChildren();
    areas.forEach((area, i) => {
      const tall = area ? Math.max(1.5, 84 * Math.sqrt(area / top)) : 0;
      const bar = document.createElementNS(NS, "rect");
      const grey = this.greys[Math.round((i + 0.5) * 2.5)];
      Object.entries({
        x: i * 10 + 0.5,
        y: 92 - tall,
        width: 9,
        height: tall,
        fill: `rgb(${grey},${grey},${grey})`,
      }).forEach(([k, v]) => bar.setAttribute(k, v));
      this.svg.append(bar);
    });
  }

  // the grey card under the bars: a piece per step from cut to cut, wide enough to touch
  ladder(bands, only, rationed) {
    // a notch in hand stays in hand when the ruler is drawn again
    const held = [...this.steps.querySelectorAll(".notch")].indexOf(document.activeElement);
    this.steps.replaceChildren();
    const edges = [0, ...bands.cuts, 10];
    bands.greys.forEach((grey, k) => {
      const piece = document.createElement("button");
      piece.type = "button";
      piece.dataset.step = k;
      piece.setAttribute("aria-pressed", String(only === k));
      piece.style.left = `${edges[k] * 10}%`;
      piece.style.width = `${(edges[k + 1] - edges[k]) * 10}%`;
      const name = document.createElement("b");
      name.textContent = edges[k + 1] - edges[k] > 0.75 ? `${k + 1} · N ${grey.toFixed(1)}` : `${k + 1}`;
      piece.append(name, edges[k + 1] - edges[k] > 0.45 ? `${(bands.share[k] * 100).toFixed(1)} %` : "");
      piece.title = `Step ${k + 1}: N ${grey.toFixed(1)}, ${bands.area_mm2[k].toFixed(0)} mm²`;
      piece.addEventListener("click", () => this.touched(k));
      this.steps.append(piece);
    });
    bands.cuts.forEach((cut, k) => this.steps.append(this.notch(bands.cuts, cut, k, bands.least_gap)));
    this.steps.querySelectorAll(".notch")[held]?.focus();
    if (rationed) {
      const bracket = document.createElement("div");
      bracket.className = "ration";
      bracket.style.left = `${bands.cuts.at(-1) * 10}%`;
      bracket.style.right = "0";
      const word = document.createElement("span");
      word.textContent = "white limit";
      bracket.append(word);
      this.steps.append(bracket);
    }
  }

  notch(cuts, cut, k, gap) {
    const notch = document.createElement("div");
    notch.className = "notch";
    notch.tabIndex = 0;
    notch.style.left = `${cut * 10}%`;
    Object.entries({
      role: "slider",
      "aria-label": `Step ${k + 2} begins at`,
      "aria-valuemin": 0,
      "aria-valuemax": 10,
      "aria-valuenow": cut.toFixed(2),
    }).forEach(([key, v]) => notch.setAttribute(key, v));
    const low = (k ? cuts[k - 1] : 0) + gap * 1.2,
      high = (k + 1 < cuts.length ? cuts[k + 1] : 10) - gap * 1.2;
    const to = (value) => {
      this.slid(k, Math.max(low, Math.min(high, value)));
    };
    notch.addEventListener("pointerdown", (e) => {
      e.preventDefault();
      notch.focus();
      notch.setPointerCapture(e.pointerId);
      const box = this.steps.getBoundingClientRect();
      notch.onpointermove = (m) => {
        const v = Math.max(low, Math.min(high, ((m.clientX - box.left) / box.width) * 10));
        notch.style.left = `${v * 10}%`;
        notch.dataset.value = v;
      };
      notch.onpointerup = () => {
        notch.onpointermove = notch.onpointerup = null;
        if (notch.dataset.value) to(Number(notch.dataset.value));
      };
    });
    notch.addEventListener("keydown", (e) => {
      const by = { ArrowLeft: -0.1, ArrowRight: 0.1 }[e.key];
      if (by) {
        e.preventDefault();
        e.stopPropagation();
        to(cut + by);
      }
    });
    return notch;
  }
}
