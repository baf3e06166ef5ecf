// The page around an effect that plays: a button, variants, and a row for each lever.
(async () => {
  "use strict";
  const $ = (id) => document.getElementById(id);
  const say = (words) => {
    $("told").textContent = words;
  };
  const bytes = Uint8Array.from(atob($("effect").textContent.trim()), (c) => c.charCodeAt(0));
  const playing = await whorlPlay(bytes, $("stage"), say);
  if (!playing) return;
  const { effect } = playing;
  const button = $("play");
  const show = () => {
    button.textContent = playing.playing ? "pause" : "play";
    button.setAttribute("aria-pressed", String(playing.playing));
  };
  button.onclick = () => {
    playing.playing = !playing.playing;
  };
  const fields = new Map();
  playing.follow((what, now) => {
    if (what === "playing") show();
    if (what === "lever") fields.get(now)?.();
    if (what === "phase") window.whorlFrame = playing.frame;
  });
  show();

  const rgb = (c) => {
    const most = Math.max(1, ...c);
    const part = (x) => {
      const y = x / most;
      const s = y <= 0.0031308 ? y * 12.92 : 1.055 * y ** (1 / 2.4) - 0.055;
      return Math.round(s * 255).toString(16).padStart(2, "0");
    };
    return [`#${c.map(part).join("")}`, most];
  };
  const linear = (hex, strength) =>
    [1, 3, 5].map((i) => {
      const s = Number.parseInt(hex.slice(i, i + 2), 16) / 255;
      return strength * (s <= 0.04045 ? s / 12.92 : ((s + 0.055) / 1.055) ** 2.4);
    });

  /** A place: its three numbers beside one another. */
  function placed(lever) {
    const box = document.createElement("div");
    box.className = "place";
    box.setAttribute("role", "group");
    box.setAttribute("aria-label", lever.name);
    const name = document.createElement("span");
    name.textContent = lever.name;
    name.title = lever.note;
    box.append(name);
    const inputs = ["x", "y", "z"].map((axis, i) => {
      const input = document.createElement("input");
      input.type = "number";
      input.step = 0.05;
      input.setAttribute("aria-label", `${lever.name}, ${axis}`);
      input.oninput = () => {
        const x = Number(input.value);
        if (input.value === "" || !Number.isFinite(x)) return;
        playing.set(lever.id, playing.levers.get(lever.id).map((old, k) => (k === i ? x : old)));
      };
      box.append(input);
      return input;
    });
    const fill = () => {
      playing.levers.get(lever.id).forEach((x, i) => {
        if (document.activeElement !== inputs[i]) inputs[i].value = Number(x.toPrecision(4));
      });
    };
    fields.set(lever.id, fill);
    fill();
    return box;
  }

  function row(lever) {
    if (lever.kind === "place") return placed(lever);
    const label = document.createElement("label");
    const name = document.createElement("span");
    name.textContent = lever.unit ? `${lever.name} (${lever.unit})` : lever.name;
    name.title = lever.note;
    label.append(name);
    const input = document.createElement(lever.kind === "choice" ? "select" : "input");
    const told = document.createElement("output");
    if (lever.kind === "choice") input.append(...lever.ways.map((way, i) => new Option(way.name, String(i))));
    else if (lever.kind === "switch") input.type = "checkbox";
    else if (lever.kind === "colour") input.type = "color";
    else {
      input.type = "range";
      input.min = lever.least;
      input.max = lever.most;
      input.step = lever.whole ? 1 : (lever.most - lever.least) / 1000 || "any";
    }
    const fill = () => {
      const v = playing.levers.get(lever.id);
      if (lever.kind === "switch") input.checked = Boolean(v);
      else if (lever.kind === "colour") input.value = rgb(v)[0];
      else {
        input.value = v;
        told.textContent = Number(Number(v).toPrecision(3));
      }
    };
    input.oninput = () => {
      if (lever.kind === "switch") playing.set(lever.id, input.checked ? 1 : 0);
      else if (lever.kind === "colour") playing.set(lever.id, linear(input.value, rgb(playing.levers.get(lever.id))[1]));
      else playing.set(lever.id, Number(input.value));
    };
    fields.set(lever.id, fill);
    fill();
    label.append(input, told);
    return label;
  }

  for (const group of new Set(effect.levers.map((l) => l.group))) {
    const box = document.createElement("fieldset");
    const head = document.createElement("legend");
    head.textContent = group || "levers";
    box.append(head, ...effect.levers.filter((l) => l.group === group).map(row));
    $("levers").append(box);
  }
  for (const variant of effect.variants) {
    const press = document.createElement("button");
    press.type = "button";
    press.textContent = variant.name;
    press.onclick = () => {
      for (const [id, value] of Object.entries(variant.holds)) playing.set(id, value);
    };
    $("variants").append(press);
  }
  window.whorlPixels = playing.pixels;
})().catch((e) => {
  document.getElementById("told").textContent = `It cannot be drawn here: ${e.message}`;
});
