// The light stage: the dial, the sliders; puts what they say into the lighting.
import { say } from "../../page.js";
import { Dial } from "../dial.js";

const $ = (id) => document.getElementById(id);

export default class Light {
  constructor({ lighting }) {
    const lamp = (what, moving) => {
      Object.assign(lighting.rig.lamp, what);
      lighting.changed(moving);
    };
    this.dial = new Dial(
      $("dial"),
      (azimuth, elevation) => lamp({ azimuth, elevation }, true),
      () => lighting.changed(),
    );
    for (const button of document.querySelectorAll(".presets [data-azimuth]")) {
      button.addEventListener("click", () =>
        lamp({ azimuth: Number(button.dataset.azimuth), elevation: Number(button.dataset.elevation) }),
      );
    }
    for (const id of ["azimuth", "elevation"]) {
      $(id).addEventListener("change", () => {
        if ($(id).checkValidity() && $(id).value !== "") lamp({ [id]: Number($(id).value) });
        else {
          say($(id).validationMessage || "Type a number of degrees.", true);
          this.show(lighting);
        }
      });
    }
    const slider = (id, put) => {
      $(id).addEventListener("input", () => {
        put(Number($(id).value));
        lighting.changed(true);
      });
      $(id).addEventListener("change", () => lighting.changed());
    };
    slider("size", (v) => {
      lighting.rig.lamp.size = v;
    });
    slider("sky", (v) => {
      lighting.rig.sky = v;
    });
    slider("bounce", (v) => {
      lighting.rig.bounce = v;
    });
    slider("gain", (v) => {
      lighting.exposure.gain = 2 ** v;
    });
    lighting.whenSet(() => this.show(lighting));
  }

  show({ rig, exposure }) {
    const { lamp, sky, bounce } = rig;
    this.dial.show(lamp.azimuth, lamp.elevation, lamp.size);
    $("azimuth").value = Math.round(lamp.azimuth);
    $("elevation").value = Math.round(lamp.elevation);
    $("size").value = lamp.size;
    $("size-out").textContent = lamp.size < 1 ? "hard" : `${Math.round(lamp.size)}°`;
    $("sky").value = sky;
    $("sky-out").textContent = `${Math.round(sky * 100)} %`;
    $("bounce").value = bounce;
    $("bounce-out").textContent = `${Math.round(bounce * 100)} %`;
    $("gain").value = Math.log2(exposure.gain);
    $("gain-out").textContent = `× ${exposure.gain.toFixed(2)}`;
  }
}
