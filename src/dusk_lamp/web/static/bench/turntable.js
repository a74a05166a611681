// The turntable: draws the sculpt in the greys the server sent. Decides nothing.
import * as THREE from "../vendor/three/three.min.js";

import { FRAGMENT, Layers, VERTEX } from "./layers.js";

export class Turntable {
  constructor(canvas) {
    this.canvas = canvas;
    const software = drawnBySoftware();
    this.renderer = new THREE.WebGLRenderer({ canvas, antialias: !software });
    this.coarse = software; // without a graphics card, draw the rough form while anything moves, or is still to come
    this.awaited = 0;
    this.renderer.outputColorSpace = THREE.LinearSRGBColorSpace; // the greys are already display values
    this.scene = new THREE.Scene();
    this.camera = new THREE.OrthographicCamera(-1, 1, 1, -1, -1000, 1000);
    this.azimuth = 0;
    this.elevation = 8;
    this.zoom = 1;
    this.pan = [0, 0];
    this.layers = new Layers();
    this.uniforms = this.layers.uniforms;
    new ResizeObserver(() => this.draw()).observe(canvas.parentElement);
    this.gestures();
  }

  async load(url) {
    const answer = await fetch(url);
    if (!answer.ok) throw new Error((await answer.json()).error || "The sculpt did not arrive.");
    const bytes = await answer.arrayBuffer();
    const { heading, at } = unpack(bytes);
    this.heading = heading;
    const n = heading.samples;
    const g = new THREE.BufferGeometry();
    g.setAttribute("position", new THREE.BufferAttribute(new Float32Array(bytes, at, n * 3), 3));
    const normals = new THREE.InterleavedBuffer(new Int8Array(bytes, at + n * 12, n * 4), 4);
    g.setAttribute("normal", new THREE.InterleavedBufferAttribute(normals, 3, 0, true));
    const faces = at + n * 16,
      rough = faces + heading.faces * 12,
      between = rough + heading.rough * 4;
    this.whole = new THREE.BufferAttribute(new Uint32Array(bytes, faces, heading.faces * 3), 1);
    this.roughSamples = new Uint32Array(bytes, rough, heading.rough);
    this.rough = new THREE.BufferAttribute(new Uint32Array(bytes, between, heading.rough_faces * 3), 1);
    g.setIndex(this.coarse ? this.rough : this.whole);
    g.setAttribute(
      "part",
      new THREE.BufferAttribute(new Uint8Array(bytes, between + heading.rough_faces * 12, n), 1, true),
    );
    this.layers.lay(g, n);
    const greys = new Uint8Array(256 * 4);
    heading.greys.forEach((v, i) => greys.fill(v, i * 4, i * 4 + 4));
    const texture = new THREE.DataTexture(greys, 256, 1);
    texture.magFilter = texture.minFilter = THREE.NearestFilter;
    texture.needsUpdate = true;
    this.uniforms.greys.value = texture;
    const material = new THREE.ShaderMaterial({
      vertexShader: VERTEX,
      fragmentShader: FRAGMENT,
      uniforms: this.uniforms,
      glslVersion: THREE.GLSL3,
      defines: {},
      side: heading.closed ? THREE.FrontSide : THREE.DoubleSide, // nobody sees into what has no hole
    });
    material.polygonOffset = true;
    material.polygonOffsetFactor = 1;
    material.polygonOffsetUnits = 2; // lines lie on top
    this.mesh = new THREE.Mesh(g, material);
    this.mesh.frustumCulled = false;
    const [low, high] = [heading.low, heading.high];
    this.middle = low.map((v, i) => (v + high[i]) / 2);
    g.boundingSphere = { center: new THREE.Vector3(...this.middle) }; // to sort by; else every point is looked at
    this.reach = Math.hypot(high[0] - low[0], high[1] - low[1]) / 2;
    this.tall = high[2] - low[2];
    this.scene.add(this.mesh, this.plate());
  }

  plate() {
    // the rim of the turntable, with a mark in front
    const r = this.reach * 1.08,
      points = [];
    for (let i = 0; i <= 96; i += 1)
      points.push(new THREE.Vector3(r * Math.sin((i * Math.PI) / 48), -r * Math.cos((i * Math.PI) / 48), 0));
    const marks = [];
    for (let i = 0; i < 24; i += 1) {
      const a = (i * Math.PI) / 12,
        out = i === 0 ? 1.1 : i % 6 ? 1.025 : 1.05;
      marks.push(
        new THREE.Vector3(r * Math.sin(a), -r * Math.cos(a), 0),
        new THREE.Vector3(r * out * Math.sin(a), -r * out * Math.cos(a), 0),
      );
    }
    const ink = new THREE.LineBasicMaterial({ color: 0x2c2c2c });
    const group = new THREE.Group();
    group.add(new THREE.Line(new THREE.BufferGeometry().setFromPoints(points), ink));
    group.add(new THREE.LineSegments(new THREE.BufferGeometry().setFromPoints(marks), ink));
    this.ink = ink;
    return group;
  }

  show(levels, steps) {
    this.layers.put("values", levels);
    this.layers.put("bands", steps);
    this.rest();
  }

  mark(labels, patches) {
    this.layers.put("regions", labels);
    patches.forEach((hex, i) => {
      const v = parseInt(hex.slice(1), 16);
      this.uniforms.patches.value[i + 1].set((v >> 16) / 255, ((v >> 8) & 255) / 255, (v & 255) / 255);
    });
    this.draw();
  }

  // the nozzle at its true distance, with its cone
  nozzle(at, middle, spread) {
    if (this.jet) {
      this.scene.remove(this.jet);
      this.jet = null;
    }
    if (at) {
      const from = new THREE.Vector3(...at),
        to = new THREE.Vector3(...middle),
        axis = to.clone().sub(from).normalize();
      const side = new THREE.Vector3(0, 0, 1).cross(axis);
      if (side.length() < 1e-6) side.set(1, 0, 0);
      side.normalize();
      const over = axis.clone().cross(side),
        points = [];
      const rim = (k) =>
        to
          .clone()
          .addScaledVector(side, spread * Math.cos((k * Math.PI) / 12))
          .addScaledVector(over, spread * Math.sin((k * Math.PI) / 12));
      for (let k = 0; k < 24; k += 1) {
        points.push(rim(k), rim(k + 1));
        if (k % 4 === 0) points.push(from, rim(k));
      }
      points.push(from, from.clone().addScaledVector(axis, -this.tall / 4));
      this.jet = new THREE.LineSegments(
        new THREE.BufferGeometry().setFromPoints(points),
        new THREE.LineBasicMaterial({ color: new THREE.Color().setRGB(0.95, 0.66, 0.23) }),
      );
      this.scene.add(this.jet);
    }
    this.draw();
  }

  // how far a glow is read: a ring round it, whichever way one looks
  ring(at, radius) {
    if (this.round) {
      this.scene.remove(this.round);
      this.round.geometry.dispose();
      this.round = null;
    }
    if (at) {
      const points = Array.from(
        { length: 97 },
        (_, i) => new THREE.Vector3(radius * Math.cos((i * Math.PI) / 48), radius * Math.sin((i * Math.PI) / 48), 0),
      );
      this.round = new THREE.Line(
        new THREE.BufferGeometry().setFromPoints(points),
        new THREE.LineBasicMaterial({ color: new THREE.Color().setRGB(0.95, 0.66, 0.23), depthTest: false }),
      );
      this.round.position.set(...at);
      this.round.renderOrder = 8;
      this.scene.add(this.round);
    }
    this.draw();
  }

  // how far a place on the screen is from the middle of the ring, in mm; null where there is no ring
  fromRing(x, y) {
    if (!this.round) return null;
    const box = this.canvas.getBoundingClientRect(),
      at = this.round.position.clone().project(this.camera);
    const mm = (this.camera.top - this.camera.bottom) / this.high;
    return mm * Math.hypot(x - box.left - ((at.x + 1) / 2) * this.wide, y - box.top - ((1 - at.y) / 2) * this.high);
  }

  // dabs of a brush in motion, before the server has kept the stroke
  touch(samples, number) {
    this.layers.some("regions", samples, number);
    this.draw();
  }

  pulls(each) {
    each.forEach((v, k) => this.uniforms.pulls.value[k].set(...v));
  }

  apart(hidden, share) {
    this.uniforms.hidden.value.fill(false);
    for (const k of hidden) this.uniforms.hidden.value[k] = true;
    this.uniforms.pulled.value = share;
    const apart = share > 0 || hidden.length > 0;
    this.inParts = apart; // a shader of its own: looking parts up costs a slow machine time
    if (this.lines) this.lines.visible = !share;
    if (this.marks) this.marks.visible = !share;
    this.reachOut =
      1 +
      (2 * share * Math.max(0, ...this.uniforms.pulls.value.map((v) => v.length()))) /
        Math.max(this.tall, this.reach);
    this.draw();
  }

  // focal spots as rings with their numbers, and an eye on the rim of the turntable where the model is looked at from
  focus(spots, azimuth, shown) {
    if (this.marks) this.scene.remove(this.marks);
    this.marks = new THREE.Group();
    const size = Math.max(this.tall, this.reach) / 13;
    const sprite = (paint, at, scale) => {
      const c = document.createElement("canvas");
      c.width = c.height = 96;
      paint(c.getContext("2d"));
      const s = new THREE.Sprite(
        new THREE.SpriteMaterial({ map: new THREE.CanvasTexture(c), depthTest: false, depthWrite: false }),
      );
      s.position.set(...at);
      s.scale.set(scale, scale, 1);
      s.renderOrder = 9;
      this.marks.add(s);
    };
    spots.forEach((at, k) =>
      sprite(
        (x) => {
          for (const [wide, ink] of [
            [14, "#16151a"],
            [7, "#f2a83a"],
          ]) {
            x.lineWidth = wide;
            x.strokeStyle = ink;
            x.beginPath();
            x.arc(48, 48, 30, 0, 7);
            x.stroke();
          }
          x.fillStyle = "#16151a";
          x.beginPath();
          x.arc(78, 18, 17, 0, 7);
          x.fill();
          x.fillStyle = "#f2a83a";
          x.font = "bold 26px sans-serif";
          x.textAlign = "center";
          x.textBaseline = "middle";
          x.fillText(String(k + 1), 78, 19);
        },
        at,
        size,
      ),
    );
    const a = (azimuth * Math.PI) / 180,
      r = this.reach * 1.04;
    sprite(
      (x) => {
        x.lineWidth = 8;
        x.strokeStyle = "#16151a";
        x.fillStyle = "#f4f1ea";
        x.beginPath();
        x.moveTo(6, 48);
        x.quadraticCurveTo(48, 4, 90, 48);
        x.quadraticCurveTo(48, 92, 6, 48);
        x.fill();
        x.stroke();
        x.fillStyle = "#16151a";
        x.beginPath();
        x.arc(48, 48, 15, 0, 7);
        x.fill();
      },
      [r * Math.sin(a), -r * Math.cos(a), 0],
      size,
    );
    for (const mark of this.marks.children) mark.visible = shown;
    this.scene.add(this.marks);
    this.draw();
  }

  // crests as whole lines, creases dashed, so that they differ without colour
  edges(crests, creases) {
    if (this.lines) {
      this.scene.remove(this.lines);
      this.lines.traverse((o) => o.geometry?.dispose());
      this.lines = null;
    }
    if (crests) {
      const make = (places, material) => {
        const g = new THREE.BufferGeometry();
        g.setAttribute("position", new THREE.BufferAttribute(places, 3));
        const l = new THREE.LineSegments(g, material);
        if (material.isLineDashedMaterial) l.computeLineDistances();
        return l;
      };
      this.lines = new THREE.Group();
      this.lines.add(
        make(crests, new THREE.LineBasicMaterial({ color: new THREE.Color().setRGB(0.95, 0.66, 0.23) })),
      );
      this.lines.add(
        make(
          creases,
          new THREE.LineDashedMaterial({
            color: new THREE.Color().setRGB(0.1, 0.2, 0.5),
            dashSize: this.tall / 120,
            gapSize: this.tall / 200,
          }),
        ),
      );
      this.scene.add(this.lines);
    }
    this.draw();
  }

  // the line of sight through a place on the screen, in the sculpt's own mm
  sight(x, y) {
    const box = this.canvas.getBoundingClientRect(),
      e = this.camera.matrix.elements;
    const u = this.camera.right * ((2 * (x - box.left)) / box.width - 1),
      v = this.camera.top * (1 - (2 * (y - box.top)) / box.height);
    return {
      origin: [0, 1, 2].map((k) => e[12 + k] + u * e[k] + v * e[4 + k]),
      direction: [0, 1, 2].map((k) => -e[8 + k]),
    };
  }

  // the sample that a line of sight meets: of all of them the one nearest to where it meets the rough form (Möller and
  // Trumbore, 1997) that faces it; null where it meets nothing
  met({ origin, direction }) {
    const [ox, oy, oz] = origin,
      [dx, dy, dz] = direction;
    const at = this.mesh.geometry.getAttribute("position").array,
      faces = this.rough.array;
    let nearest = Infinity;
    for (let f = 0; f < faces.length; f += 3) {
      const a = 3 * faces[f],
        b = 3 * faces[f + 1],
        c = 3 * faces[f + 2];
      const ux = at[b] - at[a],
        uy = at[b + 1] - at[a + 1],
        uz = at[b + 2] - at[a + 2];
      const vx = at[c] - at[a],
        vy = at[c + 1] - at[a + 1],
        vz = at[c + 2] - at[a + 2];
      const px = dy * vz - dz * vy,
        py = dz * vx - dx * vz,
        pz = dx * vy - dy * vx;
      const det = ux * px + uy * py + uz * pz;
      if (Math.abs(det) < 1e-12) continue;
      const tx = ox - at[a],
        ty = oy - at[a + 1],
        tz = oz - at[a + 2];
      const u = (tx * px + ty * py + tz * pz) / det;
      if (u < 0 || u > 1) continue;
      const qx = ty * uz - tz * uy,
        qy = tz * ux - tx * uz,
        qz = tx * uy - ty * ux;
      const v = (dx * qx + dy * qy + dz * qz) / det;
      if (v < 0 || u + v > 1) continue;
      const far = (vx * qx + vy * qy + vz * qz) / det;
      if (far < nearest) nearest = far;
    }
    if (nearest === Infinity) return null;
    const [px, py, pz] = [ox + nearest * dx, oy + nearest * dy, oz + nearest * dz];
    const facing = this.mesh.geometry.getAttribute("normal").data.array;
    let least = Infinity,
      sample = null;
    for (let s = 0, p = 0, n = 0; p < at.length; s += 1, p += 3, n += 4) {
      const off = (at[p] - px) ** 2 + (at[p + 1] - py) ** 2 + (at[p + 2] - pz) ** 2;
      if (off < least && facing[n] * dx + facing[n + 1] * dy + facing[n + 2] * dz < 0) {
        least = off;
        sample = s;
      }
    }
    return sample;
  }

  showMoving(levels) {
    // only the rough form has been lit
    this.layers.some("values", this.roughSamples, levels);
    this.mesh.geometry.setIndex(this.rough);
    this.stale = true; // the other samples still carry the old light
    this.draw();
  }

  rest() {
    // everything is up to date: the whole form again
    this.stale = false;
    this.mesh.geometry.setIndex(this.coarse && this.awaited ? this.rough : this.whole);
    this.draw();
  }

  // nothing is drawn until something is there, or a moment has passed
  async hold(coming) {
    this.held = true;
    await soon(coming, 300);
    this.held = false;
    this.draw();
  }

  // something that will be drawn is on its way: to draw all of the form before it is there would hold it up, if it
  // comes soon
  async during(coming) {
    this.awaited += 1;
    await soon(coming, 1500);
    this.awaited -= 1;
    if (!this.awaited && !this.stale && this.mesh) this.rest();
  }

  inMotion() {
    if (!this.coarse || !this.mesh) return;
    this.mesh.geometry.setIndex(this.rough);
    clearTimeout(this.resting);
    this.resting = setTimeout(() => {
      if (!this.stale) this.rest();
    }, 180);
  }

  ground(hex) {
    const v = parseInt(hex.slice(1, 3), 16) / 255;
    this.uniforms.ground.value.set(v, v, v);
    this.renderer.setClearColor(new THREE.Color().setRGB(v, v, v), 1);
    if (this.ink) this.ink.color.setScalar(v > 0.4 ? 0.17 : 0.62);
    this.draw();
  }

  look(azimuth, elevation) {
    this.azimuth = azimuth;
    this.elevation = elevation;
    this.inMotion();
    this.draw();
  }

  draw() {
    if (!this.mesh || this.pending || this.held) return;
    this.pending = requestAnimationFrame(() => {
      this.pending = null;
      this.paint();
    });
  }

  paint() {
    const box = this.canvas.parentElement.getBoundingClientRect();
    if (!box.width) return;
    const ratio = Math.min(devicePixelRatio, 2) * (this.coarse && this.mesh.geometry.index === this.rough ? 0.5 : 1);
    if (this.wide !== box.width || this.high !== box.height || this.ratio !== ratio) {
      this.wide = box.width;
      this.high = box.height;
      this.ratio = ratio;
      this.renderer.setPixelRatio(ratio);
      this.renderer.setSize(box.width, box.height, false);
    }
    const a = (this.azimuth * Math.PI) / 180,
      e = (this.elevation * Math.PI) / 180;
    const toward = new THREE.Vector3(Math.cos(e) * Math.sin(a), -Math.cos(e) * Math.cos(a), Math.sin(e));
    const right = new THREE.Vector3(Math.cos(a), Math.sin(a), 0);
    const up = new THREE.Vector3().crossVectors(toward, right);
    // fits the whole turn: the sculpt neither jumps nor is cut off while it turns
    const span = Math.max(this.tall * Math.cos(e) + 2.2 * this.reach * Math.abs(Math.sin(e)), 1e-6) * 1.03;
    const fit = (Math.max(span, (2.2 * this.reach * box.height) / box.width) * (this.reachOut || 1)) / this.zoom;
    const half = fit / 2;
    Object.assign(this.camera, {
      top: half,
      bottom: -half,
      left: (-half * box.width) / box.height,
      right: (half * box.width) / box.height,
    });
    const far = 4 * (this.tall + this.reach);
    this.camera.near = 0;
    this.camera.far = 2 * far;
    const middle = new THREE.Vector3(...this.middle)
      .addScaledVector(right, this.pan[0])
      .addScaledVector(up, this.pan[1]);
    this.camera.position.copy(middle).addScaledVector(toward, far);
    this.camera.matrixAutoUpdate = false;
    this.camera.matrix.makeBasis(right, up, toward).setPosition(this.camera.position);
    this.camera.matrixWorldNeedsUpdate = true;
    this.camera.updateProjectionMatrix();
    this.uniforms.eye.value.copy(toward);
    this.uniforms.wide.value = this.canvas.width;
    const { material } = this.mesh,
      defines = { ...this.layers.defines(), ...(this.inParts ? { APART: 1 } : {}) };
    if (Object.keys(defines).join() !== Object.keys(material.defines).join())
      Object.assign(material, { defines, needsUpdate: true });
    if (this.round) this.round.quaternion.setFromRotationMatrix(this.camera.matrix);
    this.renderer.render(this.scene, this.camera);
    this.canvas.dataset.painted = String(Number(this.canvas.dataset.painted || 0) + 1);
    this.canvas.dispatchEvent(new CustomEvent("painted"));
  }

  gestures() {
    const c = this.canvas,
      down = new Map();
    let pinch = 0,
      moved = 0,
      stroke = false;
    const stroked = (kind, e) => c.dispatchEvent(new CustomEvent(kind, { detail: this.sight(e.clientX, e.clientY) }));
    c.addEventListener("pointerdown", (e) => {
      c.setPointerCapture(e.pointerId);
      moved = 0;
      down.set(e.pointerId, [e.clientX, e.clientY]);
      // the dab that was begun was none: two fingers turn
      if (stroke && down.size === 2) c.dispatchEvent(new CustomEvent("dropped"));
      // the other button turns; where Shift cuts, it begins a stroke, and else it moves the sculpt
      stroke = e.button === 0 && down.size === 1 && (e.shiftKey ? Boolean(this.cutting) : Boolean(this.brushing));
      if (stroke) stroked("dabbed", e);
    });
    for (const end of ["pointerup", "pointercancel"])
      c.addEventListener(end, (e) => {
        down.delete(e.pointerId);
        pinch = 0;
        if (stroke) {
          stroke = false;
          stroked("lifted", e);
        }
      });
    c.addEventListener("pointermove", (e) => {
      const from = down.get(e.pointerId);
      if (!from) return;
      const [dx, dy] = [e.clientX - from[0], e.clientY - from[1]];
      moved += Math.abs(dx) + Math.abs(dy);
      down.set(e.pointerId, [e.clientX, e.clientY]);
      if (stroke && down.size === 1) {
        stroked("dabbed", e);
        return;
      }
      if (down.size === 2) {
        const [p, q] = [...down.values()];
        const apart = Math.hypot(p[0] - q[0], p[1] - q[1]);
        const pinched = new CustomEvent("pinched", { detail: apart / (pinch || apart), cancelable: true });
        if (pinch && c.dispatchEvent(pinched)) this.nearer(apart / pinch);
        pinch = apart;
        this.turn(-dx * 0.22, dy * 0.18);
      } else if (e.buttons & (this.brushing ? 4 : 6) || e.shiftKey) {
        const mm = (this.camera.top - this.camera.bottom) / this.high;
        this.pan = [this.pan[0] - dx * mm, this.pan[1] + dy * mm];
        this.inMotion();
        this.draw();
      } else {
        this.turn(-dx * 0.45, dy * 0.35);
      }
    });
    c.addEventListener("click", (e) => {
      if (moved >= 5 || this.brushing || (this.cutting && e.shiftKey)) return;
      const detail = { ...this.sight(e.clientX, e.clientY), touched: e.pointerType === "touch" };
      c.dispatchEvent(new CustomEvent("picked", { detail }));
    });
    c.addEventListener("contextmenu", (e) => e.preventDefault());
    c.addEventListener(
      "wheel",
      (e) => {
        e.preventDefault();
        this.nearer(Math.exp(-e.deltaY * 0.0012));
      },
      { passive: false },
    );
    c.addEventListener("dblclick", () => {
      if (this.layers.wanted.regions) return;
      this.zoom = 1;
      this.pan = [0, 0];
      this.look(0, 8);
    });
    c.addEventListener("keydown", (e) => {
      const by = { ArrowLeft: [-10, 0], ArrowRight: [10, 0], ArrowUp: [0, 10], ArrowDown: [0, -10] }[e.key];
      if (by) {
        e.preventDefault();
        this.turn(...by);
      }
      if (e.key === "+" || e.key === "=") this.nearer(1.2);
      if (e.key === "-") this.nearer(1 / 1.2);
    });
  }

  turn(azimuth, elevation) {
    this.look(((this.azimuth + azimuth + 540) % 360) - 180, Math.max(-90, Math.min(90, this.elevation + elevation)));
    this.canvas.dispatchEvent(new CustomEvent("turned"));
  }

  nearer(by) {
    this.zoom = Math.max(0.5, Math.min(20, this.zoom * by));
    this.inMotion();
    this.draw();
  }
}

// until something is there, or has failed, or so many milliseconds have passed
function soon(coming, ms) {
  return Promise.race([Promise.resolve(coming).catch(() => {}), new Promise((done) => setTimeout(done, ms))]);
}

function drawnBySoftware() {
  const gl = document.createElement("canvas").getContext("webgl2");
  const info = gl && gl.getExtension("WEBGL_debug_renderer_info");
  const name = info ? String(gl.getParameter(info.UNMASKED_RENDERER_WEBGL)) : "";
  gl?.getExtension("WEBGL_lose_context")?.loseContext();
  return /swiftshader|llvmpipe|software/i.test(name);
}

// A packet from the server: a JSON heading with its length before it, then raw arrays.
export function unpack(bytes) {
  const length = new DataView(bytes).getUint32(0, true);
  const heading = JSON.parse(new TextDecoder().decode(new Uint8Array(bytes, 4, length)));
  return { heading, at: 4 + length };
}
