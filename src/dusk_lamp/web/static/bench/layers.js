// The layers of the turntable: fields of bytes, a few for each sample, and how each is drawn over those before it.
// A layer is one entry: bytes for a sample, its uniforms, GLSL that declares them and GLSL that paints `shown`, a
// vec3 of display values. `field` is the layer's own bytes (0..1, a float or a vec4); `form` is the light of an eye
// on the surface. `covers`: it leaves nothing of the layers before it.
import * as THREE from "../vendor/three/three.min.js";

const MOST_PARTS = 61;
const patches = () => Array.from({ length: MOST_PARTS }, () => new THREE.Vector3(0.5, 0.5, 0.5));

export const LAYERS = [
  {
    name: "values",
    bytes: 1,
    covers: true,
    on: true,
    uniforms: { greys: null },
    declare: "uniform sampler2D greys;",
    paint: "shown = vec3(texture(greys, vec2((field * 255.0 + 0.5) / 256.0, 0.5)).r);",
  },
  {
    name: "bands",
    bytes: 1,
    covers: true,
    uniforms: { stepGrey: new Array(10).fill(0) },
    declare: "uniform float stepGrey[10];",
    // neighbours are one step apart at most: half-way is the border
    paint: "shown = vec3(stepGrey[int(field * 255.0 + 0.5)]);",
  },
  {
    name: "coats",
    bytes: 4,
    covers: true,
    flatAlpha: true,
    uniforms: { differing: false },
    declare: "uniform bool differing;",
    // rising lines: too light; falling: too dark; level: too grey; upright: too vivid; dots: of another hue: kept
    // apart without colour
    paint: `shown = field.rgb;
      int mark = int(alpha * 255.0 + 0.5);
      if (differing && mark > 0) {
        vec2 at = gl_FragCoord.xy;
        float along = mark == 1 ? at.x - at.y : mark == 2 ? at.x + at.y : mark == 3 ? at.y * 1.4 : at.x * 1.4;
        bool ink = mark < 5 ? mod(along, 9.0) < 2.6 : length(mod(at, 8.0) - 4.0) < 2.2;
        if (ink) shown = mark == 1 ? vec3(0.85, 0.32, 0.05) : mark == 2 ? vec3(0.25, 0.55, 0.95) : mark == 3 ? vec3(0.75) : mark == 4 ? vec3(0.9, 0.2, 0.6) : vec3(0.1);
      }`,
  },
  {
    // another scheme, right of a line
    name: "beside",
    bytes: 4,
    uniforms: { wipe: 0, wide: 1 },
    declare: "uniform float wipe; uniform float wide;", // a share of so many pixels
    paint: "if (gl_FragCoord.x > wipe * wide) shown = field.rgb;",
  },
  {
    // how the lamp lies on matt, satin and gloss: broad and faint, or small and bright; metallic paint sends its own
    // colour on (core/view/sheen.py)
    name: "sheen",
    bytes: 4,
    uniforms: { lamp: new THREE.Vector3(0, 0, 1), sheenOf: new Array(7).fill(0) },
    declare: "uniform vec3 lamp; uniform float sheenOf[7];", // its numbers come from there, too
    paint: `float facing = max(dot(normalize(vNormal), normalize(eye + lamp)), 0.0) * step(0.0, dot(vNormal, lamp)), gloss = field.r * field.r;
      shown = shown * (1.0 + field.g * (sheenOf[4] * pow(facing, sheenOf[5]) - sheenOf[6]));
      shown = min(shown + vec3(mix(sheenOf[0], sheenOf[1], gloss) * pow(facing, mix(sheenOf[2], sheenOf[3], gloss))), 1.0);`,
  },
  {
    name: "regions",
    bytes: 1,
    covers: true,
    uniforms: { chosen: 0, patches: patches() },
    declare: `uniform float chosen; uniform vec3 patches[${MOST_PARTS}];`,
    // the form by a light in the eye, so that dark recesses can be marked too; a facet with corners in two regions is
    // their border
    paint: `float lit = 0.35 + 0.6 * clamp(form, 0.0, 1.0);
      int r = int(field * 255.0 + 0.5);
      shown = r == 0 ? vec3(lit * 0.8) : patches[r] * lit;
      if (r > 0 && r == int(chosen + 0.5)) shown = mix(shown, vec3(1.0), 0.25);
      if (abs(field * 255.0 - float(r)) > 0.02) shown = vec3(0.08);`,
  },
  {
    // what a brush does not get at, and where parts are glued: kept apart without colour by how they are hatched
    name: "reach",
    bytes: 4,
    covers: true,
    flatAlpha: true,
    uniforms: {},
    declare: "",
    paint: `shown = vec3(0.3 + 0.45 * clamp(form, 0.0, 1.0));
      int mark = int(alpha * 255.0 + 0.5);
      vec2 at = gl_FragCoord.xy;
      bool ink = mark == 1 ? length(mod(at, 9.0) - 4.5) < 1.6 : mark == 2 ? mod(at.x + at.y, 9.0) < 3.0
        : mark == 3 ? mod(at.x + at.y, 6.0) < 3.6 || mod(at.x - at.y, 6.0) < 1.5 : mod(at.x, 7.0) < 2.0 || mod(at.y, 7.0) < 2.0;
      if (mark > 0 && ink) shown = mark == 1 ? vec3(0.25, 0.55, 0.95) : mark == 4 ? vec3(0.15, 0.75, 0.55) : vec3(0.85, 0.32, 0.05);`,
  },
  {
    // the piece that a click would take
    name: "piece",
    bytes: 1,
    uniforms: {},
    declare: "",
    paint:
      "if (field > 0.5) shown = mix(shown, vec3(0.95, 0.66, 0.23), 0.55); if (field > 0.02 && field < 0.98) shown = vec3(0.95, 0.66, 0.23);",
  },
  {
    name: "one band",
    of: "bands",
    uniforms: { only: -1 },
    declare: "uniform float only; uniform vec3 ground;",
    on: true,
    shows: (uniforms) => uniforms.only.value >= 0,
    // the one band stays in its own grey, ringed by lamplight where it is hard to tell from the ghost
    paint: `shown = int(field * 255.0 + 0.5) == int(only + 0.5)
        ? mix(shown, vec3(0.95, 0.66, 0.23), 0.55) : ground * (0.67 + 0.25 * form);`,
  },
];

const id = (layer) => layer.name.replace(/\W/g, "_");
const ownOf = (layer) => (layer.of ? LAYERS.find((other) => other.name === layer.of) : layer); // whose bytes it reads
const kind = (layer) => (layer.bytes === 4 ? "vec4" : "float");
const held = LAYERS.filter((layer) => layer.bytes);
const only = (symbol, text) => `#ifdef ${symbol}\n${text}\n#endif`;
const field = (l) => `FIELD_${id(l)}`;

// Each set of layers is a shader of its own: without a graphics card, a layer that is not shown costs no time.
export const VERTEX = `
${held.map((l) => only(field(l), `in ${kind(l)} a_${id(l)}; out ${kind(l)} v_${id(l)};${l.flatAlpha ? ` flat out float f_${id(l)};` : ""}`)).join("\n")}
#ifdef APART
in float part; uniform vec3 pulls[${MOST_PARTS}]; uniform bool hidden[${MOST_PARTS}]; uniform float pulled;
#endif
out vec3 vNormal;
void main() {
  vNormal = normal;
${held.map((l) => only(field(l), `v_${id(l)} = a_${id(l)};${l.flatAlpha ? ` f_${id(l)} = a_${id(l)}.a;` : ""}`)).join("\n")}
#ifndef APART
  gl_Position = projectionMatrix * modelViewMatrix * vec4(position, 1.0);
#else
  int p = int(part * 255.0 + 0.5);
  gl_Position = hidden[p] ? vec4(0.0, 0.0, 2.0, 1.0) : projectionMatrix * modelViewMatrix * vec4(position + pulled * pulls[p], 1.0);
#endif
}`;

export const FRAGMENT = `
precision highp float;
${held.map((l) => only(field(l), `in ${kind(l)} v_${id(l)};${l.flatAlpha ? ` flat in float f_${id(l)};` : ""}`)).join("\n")}
in vec3 vNormal; uniform vec3 eye;
${LAYERS.map((l) => only(`ON_${id(l)}`, l.declare)).join("\n")}
out vec4 colour;
void main() {
  float form = dot(normalize(vNormal), eye);
  vec3 shown = vec3(0.2 + 0.5 * clamp(form, 0.0, 1.0)); // plainly lit from the eye, until more is known
${LAYERS.map((l) => {
  const own = ownOf(l);
  return only(
    `ON_${id(l)}`,
    `{ ${kind(own)} field = v_${id(own)};${own.flatAlpha ? ` float alpha = f_${id(own)};` : ""} ${l.paint} }`,
  );
}).join("\n")}
  colour = vec4(shown, 1.0);
}`;

// The fields of one sculpt, and which layers are drawn.
export class Layers {
  constructor() {
    this.uniforms = {
      ground: { value: new THREE.Vector3(0.47, 0.47, 0.47) },
      eye: { value: new THREE.Vector3(0, -1, 0) },
      pulls: { value: Array.from({ length: MOST_PARTS }, () => new THREE.Vector3()) },
      hidden: { value: new Array(MOST_PARTS).fill(false) },
      pulled: { value: 0 },
    };
    for (const layer of LAYERS) {
      for (const [name, value] of Object.entries(layer.uniforms)) this.uniforms[name] = { value };
    }
    this.fields = {};
    this.wanted = Object.fromEntries(LAYERS.map((layer) => [layer.name, Boolean(layer.on)]));
    this.there = new Set(
      LAYERS.filter((layer) => !layer.bytes || layer.name === "regions").map((layer) => layer.name),
    ); // what was put; regions may be none
  }

  // the symbols of what is drawn now: never what is not known yet, nor what is covered
  defines() {
    const drawn = LAYERS.filter(
      (l) => this.wanted[l.name] && this.there.has(l.name) && (l.shows?.(this.uniforms) ?? true),
    );
    const out = {};
    for (const layer of drawn.slice(Math.max(0, drawn.findLastIndex((l) => l.covers)))) {
      out[`ON_${id(layer)}`] = 1;
      out[field(ownOf(layer))] = 1;
    }
    return out;
  }

  lay(geometry, samples) {
    // room for every field of a sculpt
    for (const layer of held) {
      const field = new THREE.BufferAttribute(new Uint8Array(samples * layer.bytes), layer.bytes, true);
      field.setUsage(THREE.DynamicDrawUsage);
      geometry.setAttribute(`a_${id(layer)}`, field);
      this.fields[layer.name] = field;
    }
  }

  put(name, bytes) {
    this.fields[name].array.set(bytes);
    this.fields[name].needsUpdate = true;
    this.there.add(name);
  }
  some(name, samples, byte) {
    const field = this.fields[name];
    samples.forEach((s, i) => {
      field.array[s] = typeof byte === "number" ? byte : byte[i];
    });
    field.needsUpdate = true;
    this.there.add(name);
  }
  set(name, value) {
    this.uniforms[name].value = value;
  }
  on(name, shown) {
    this.wanted[name] = shown;
  }
}
