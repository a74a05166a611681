// The palette: wells, a bar with borders to drag, and what the server says of the mix.
import { say, send } from "./page.js";

const $ = (id) => document.getElementById(id);
const root = $("palette"),
  base = root.dataset.url,
  most = Number(root.dataset.most);
const hex = Object.fromEntries(JSON.parse(root.dataset.paints).map((p) => [p.name, p.hex]));
const wells = [...document.querySelectorAll(".well")];
const svg = (name, given) => {
  const e = document.createElementNS("http://www.w3.org/2000/svg", name);
  for (const [k, v] of Object.entries(given)) e.setAttribute(k, v);
  return e;
};
let mix = [],
  past = [],
  recipes = JSON.parse(root.dataset.recipes);

async function ask(what, body) {
  const answer = await send(`${base}/${what}`, {
    method: "POST",
    headers: { "Content-Type": "application/json" },
    body: JSON.stringify(body),
  });
  const answered = await answer.json();
  if (!answer.ok) {
    say(answered.error, true);
    return null;
  }
  return answered;
}

// --- the mix is a list of paint and parts; the address keeps it over a reload
function read() {
  const given = new URLSearchParams(location.search).get("mix");
  const known = (given || "Soot:1,Gull:2").split(",").map((w) => {
    const at = w.lastIndexOf(":");
    return { paint: w.slice(0, at), parts: Number(w.slice(at + 1)) };
  });
  return known.filter((w) => w.paint && w.parts > 0).slice(0, wells.length);
}
function set(next, remember = true) {
  if (remember) past.push(mix);
  mix = next.filter((w) => w.paint);
  const words = mix.map((w) => `${w.paint}:${w.parts}`).join(",");
  history.replaceState(null, "", `?mix=${encodeURIComponent(words)}`);
  draw();
  look();
  wearers();
}
function draw() {
  wells.forEach((well, k) => {
    const own = mix[k],
      select = well.querySelector("select");
    // only a recipe still has it
    if (own && ![...select.options].some((o) => o.value === own.paint)) select.append(new Option(own.paint));
    select.value = own ? own.paint : "";
    well.querySelector(".count").textContent = own ? own.parts : "";
    well.hidden = k > mix.length;
  });
  bar();
}
function bar() {
  const svgBar = $("bar"),
    whole = mix.reduce((sum, w) => sum + w.parts, 0);
  svgBar.replaceChildren();
  let at = 0;
  mix.forEach((w, k) => {
    const wide = (800 * w.parts) / whole;
    svgBar.append(svg("rect", { x: at, y: 0, width: wide, height: 56, fill: hex[w.paint] || "#808080" }));
    at += wide;
    if (k < mix.length - 1) {
      const border = svg("rect", {
        x: at - 7,
        y: 0,
        width: 14,
        height: 56,
        class: "border",
        tabindex: 0,
        role: "slider",
        "aria-label": `Border between ${w.paint} and ${mix[k + 1].paint}`,
        "aria-valuenow": w.parts,
        "aria-valuetext": `${w.parts} to ${mix[k + 1].parts}`,
      });
      const over = (by) => {
        if (mix[k].parts + by < 1 || mix[k + 1].parts - by < 1) return;
        const next = mix.map((m) => ({ ...m }));
        next[k].parts += by;
        next[k + 1].parts -= by;
        set(next);
        $("bar").querySelectorAll(".border")[k]?.focus();
      };
      border.addEventListener("keydown", (e) => {
        const by = { ArrowRight: 1, ArrowLeft: -1 }[e.key];
        if (by) {
          e.preventDefault();
          over(by);
        }
      });
      border.addEventListener("pointerdown", (e) => {
        const box = svgBar.getBoundingClientRect(),
          began = e.clientX,
          each = box.width / Math.max(whole, most),
          first = mix;
        const move = (m) => {
          const by = Math.round((m.clientX - began) / each);
          const next = first.map((w2) => ({ ...w2 }));
          next[k].parts = Math.max(1, first[k].parts + by);
          next[k + 1].parts = Math.max(1, first[k + 1].parts - by);
          mix = next;
          draw();
        };
        const up = () => {
          removeEventListener("pointermove", move);
          removeEventListener("pointerup", up);
          const next = mix;
          mix = first;
          set(next);
        };
        addEventListener("pointermove", move);
        addEventListener("pointerup", up);
      });
      svgBar.append(border);
    }
  });
}
wells.forEach((well, k) => {
  well.querySelector("select").addEventListener("change", (e) => {
    const next = mix.map((w) => ({ ...w }));
    if (next[k]) next[k].paint = e.target.value;
    else next[k] = { paint: e.target.value, parts: 1 };
    set(next);
  });
  for (const [name, by] of [
    [".part-more", 1],
    [".part-fewer", -1],
  ])
    well.querySelector(name).addEventListener("click", () => {
      if (!mix[k]) return;
      const next = mix.map((w) => ({ ...w }));
      next[k].parts += by;
      set(next.filter((w) => w.parts > 0));
    });
});
addEventListener("keydown", (e) => {
  if ((e.ctrlKey || e.metaKey) && e.key.toLowerCase() === "z" && past.length && !e.target.matches("input")) {
    e.preventDefault();
    set(past.pop(), false);
  }
});

// --- what it looks like
let looking = 0;
async function look() {
  if (!mix.length) {
    $("mix-words").textContent = "Choose paints";
    $("mix-value").textContent = "";
    return;
  }
  const turn = ++looking,
    form = Object.fromEntries(new FormData($("drops")));
  const answered = await ask("look", { wells: mix, ...form });
  if (!answered || turn !== looking) return;
  $("mix-patch").setAttribute("fill", answered.colour.hex);
  $("mix-words").textContent = answered.words;
  $("mix-value").textContent = `N ${answered.colour.value.toFixed(1)} · ${answered.colour.hex}`;
  const card = $("mix-card");
  card.replaceChildren();
  ["#1a1a1a", "#777777", "#e7e7e7"].forEach((fill, k) =>
    card.append(svg("rect", { x: 60 * k, y: 0, width: 60, height: 84, fill })),
  );
  answered.drawdown.forEach((row, n) =>
    row.forEach((fill, k) =>
      card.append(
        svg("rect", { x: 60 * k + (k ? 0 : 14), y: 6 + 25 * n, width: k === 1 ? 60 : 46, height: 22, fill }),
      ),
    ),
  );
  const lamps = $("lamps");
  lamps.replaceChildren();
  for (const own of Object.values(answered.lamps)) {
    const s = svg("svg", { viewBox: "0 0 60 84", "aria-hidden": "true" });
    s.append(svg("rect", { width: 60, height: 84, fill: own.hex }));
    lamps.append(s);
  }
  $("drops-words").textContent = answered.amount_words;
}
// which models wear it, asked once the mix has come to rest
let resting;
function wearers() {
  clearTimeout(resting);
  resting = setTimeout(async () => {
    const turn = looking,
      answered = mix.length ? await ask("worn", { wells: mix }) : { worn: [] };
    if (!answered || turn !== looking) return;
    $("worn-by").hidden = !answered.worn.length;
    $("worn").replaceChildren(
      ...answered.worn.map((w) => {
        const item = document.createElement("li"),
          link = Object.assign(document.createElement("a"), { href: w.sheet, textContent: w.name });
        item.append(link, ` · ${w.words}`);
        return item;
      }),
    );
  }, 400);
}
$("drops").addEventListener("input", look);
$("drops").addEventListener("submit", (e) => e.preventDefault());

function chip(list, answered, words, more) {
  const item = document.createElement("li"),
    button = document.createElement("button");
  button.type = "button";
  button.innerHTML = `<svg viewBox="0 0 40 40" preserveAspectRatio="none" aria-hidden="true"><rect width="40" height="40" fill="${answered.colour ? answered.colour.hex : answered.hex}"/></svg><span><b></b><small></small></span>`;
  button.querySelector("b").textContent = words;
  button.querySelector("small").textContent = more;
  button.addEventListener("click", () => set(answered.wells.map((w) => ({ ...w }))));
  item.append(button);
  list.append(item);
  return item;
}

// --- recipes, matches, ladders, primers
function listRecipes() {
  const list = $("recipes");
  list.replaceChildren();
  $("no-recipes").hidden = recipes.length > 0;
  for (const r of recipes) {
    const item = chip(list, r, r.name, `${r.words}, N ${r.value.toFixed(1)}`),
      away = document.createElement("button");
    away.type = "button";
    away.className = "quiet";
    away.textContent = "Take away";
    away.setAttribute("aria-label", `Take the recipe ${r.name} away`);
    away.addEventListener("click", async () => {
      const answered = await (await send(`${root.dataset.recipesUrl}/${r.id}/delete`, { method: "POST" })).json();
      recipes = answered.recipes;
      listRecipes();
      const back = document.createElement("button");
      back.type = "button";
      back.className = "quiet";
      back.textContent = `Put “${r.name}” back`;
      back.addEventListener("click", async () => {
        recipes = (await (await send(`${root.dataset.recipesUrl}/${r.id}/restore`, { method: "POST" })).json())
          .recipes;
        listRecipes();
      });
      $("recipes").append(back);
    });
    item.append(away);
  }
}
$("keep").addEventListener("submit", async (e) => {
  e.preventDefault();
  const called = new FormData(e.target).get("called");
  const answer = await send(root.dataset.recipesUrl, {
    method: "POST",
    headers: { "Content-Type": "application/json" },
    body: JSON.stringify({ called, wells: mix }),
  });
  const answered = await answer.json();
  if (!answer.ok) {
    say(answered.error, true);
    return;
  }
  recipes = answered.recipes;
  listRecipes();
  e.target.reset();
  say(`“${called}” is kept; it can now be chosen wherever a colour is.`);
});
$("find")
  .querySelector('[type="color"]')
  .addEventListener("input", (e) => {
    $("find").elements.colour.value = e.target.value;
  });
$("find").addEventListener("submit", async (e) => {
  e.preventDefault();
  const answered = await ask("match", { colour: new FormData(e.target).get("colour") });
  const list = $("found");
  list.replaceChildren();
  for (const m of answered ? answered.mixes : [])
    chip(list, m, m.words, `off by ΔE ${m.delta_e.toFixed(1)}${m.near ? `: ${m.near}` : ""}`);
});
$("ladder").addEventListener("submit", async (e) => {
  e.preventDefault();
  const answered = await ask("ladder", Object.fromEntries(new FormData(e.target)));
  const box = $("ladders");
  box.replaceChildren();
  for (const l of answered ? answered.ladders : []) {
    const head = document.createElement("h2"),
      list = document.createElement("ol");
    head.textContent = `${l.name[0].toUpperCase()}${l.name.slice(1)}: ${l.unevenness.toFixed(1)} values from even at worst`;
    l.steps.forEach((s, k) =>
      chip(list, s, `${k + 1}. ${s.words}`, `N ${s.colour.value.toFixed(1)}, wanted ${s.wanted.toFixed(1)}`),
    );
    box.append(head, list);
  }
  box.scrollIntoView({ block: "nearest" });
});
$("primer").addEventListener("submit", async (e) => {
  e.preventDefault();
  const answered = await ask("primer", Object.fromEntries(new FormData(e.target)));
  const box = $("primers");
  box.replaceChildren();
  if (!answered) return;
  answered.primers.forEach((p, k) => {
    const head = document.createElement("h2"),
      table = document.createElement("table");
    head.textContent = `${k === 0 ? "Take " : ""}${p.name}: ${p.coats} coats on average, ${p.minutes} minutes`;
    const body = p.rows.map((r) => {
      const tr = document.createElement("tr");
      for (const text of [
        r.region,
        r.colour,
        r.reached ? `${r.coats} coats` : "never hides",
        r.undercoat ? `over ${r.undercoat}` : "",
      ]) {
        const td = document.createElement("td");
        td.textContent = text;
        tr.append(td);
      }
      return tr;
    });
    table.append(...body);
    box.append(head, table);
  });
  if (answered.missing.length) {
    const p = document.createElement("p");
    p.className = "small";
    p.textContent = `No colour yet: ${answered.missing.join(", ")}.`;
    box.append(p);
  }
  box.scrollIntoView({ block: "nearest" });
});

listRecipes();
set(read(), false);
root.dataset.ready = "true";
