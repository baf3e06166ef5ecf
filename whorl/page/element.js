// An effect as an element of a page of one's own: <whorl-effect src="gate.whorl-play" lever-tide="0.4"></whorl-effect>

/**
 * Attributes: `src`, the packed effect; `lever-NAME`, a number, three for a colour or a place, on and off, or the name of a way; `phase`, where it
 * stands, which also pauses it; `paused`. Methods: `hit(position, strength)`, `lever(name)`, `turn(name, value)`,
 * `variant(name)`. Events: `ready`, `lever` {name, value}, `phase` {phase}, `hit` {position, strength}, and `fault` {words}.
 */
class WhorlEffect extends HTMLElement {
  static observedAttributes = ["src", "phase", "paused"];
  #playing = null;
  #asked = 0;
  #watch = null;

  connectedCallback() {
    if (!this.style.display) this.style.display = "block";
    if (!this.style.position) this.style.position = "relative";
    // Attributes of levers have names that nobody knows beforehand.
    this.#watch = new MutationObserver((all) => {
      for (const { attributeName } of all) if (attributeName.startsWith("lever-")) this.#taken(attributeName);
    });
    this.#watch.observe(this, { attributes: true });
    void this.#load();
  }

  disconnectedCallback() {
    this.#watch?.disconnect();
    this.#stop();
  }

  attributeChangedCallback(name, before, now) {
    if (!this.isConnected || before === now) return;
    if (name === "src") void this.#load();
    else this.#stand();
  }

  /** Names of the levers that may be turned, as attributes have them. */
  get levers() {
    return (this.#playing?.effect.levers ?? []).map((l) => WhorlEffect.#plain(l.name));
  }

  get variants() {
    return (this.#playing?.effect.variants ?? []).map((v) => v.name);
  }

  get frame() {
    return this.#playing?.frame;
  }

  lever(name) {
    const found = this.#found(name);
    return found && this.#playing.levers.get(found.id);
  }

  turn(name, value) {
    const found = this.#found(name);
    if (!found) return false;
    this.#playing.set(found.id, value);
    return true;
  }

  variant(name) {
    const found = this.#playing?.effect.variants.find((v) => v.name === name);
    for (const [id, value] of Object.entries(found?.holds ?? {})) this.#playing.set(id, value);
    return Boolean(found);
  }

  /** Something strikes at a place of the shape; gives whether the effect has beads that show it. */
  hit(position, strength = 1) {
    const shown = this.#playing?.hit(position, strength) ?? false;
    if (shown) this.#say("hit", { position, strength });
    return shown;
  }

  pixels(size, frame) {
    return this.#playing.pixels(size, frame);
  }

  static #plain(name) {
    return name.toLowerCase().replace(/[^a-z0-9]+/g, "-").replace(/^-|-$/g, "");
  }

  #found(name) {
    return this.#playing?.effect.levers.find((l) => l.id === name || WhorlEffect.#plain(l.name) === WhorlEffect.#plain(name));
  }

  #say(kind, detail) {
    this.dispatchEvent(new CustomEvent(kind, { detail, bubbles: true }));
  }

  #stop() {
    this.#playing?.stop();
    this.#playing = null;
    this.querySelector(":scope > .whorl-box")?.remove();
  }

  async #load() {
    const asked = ++this.#asked;
    this.#stop();
    const source = this.getAttribute("src");
    if (!source) return;
    try {
      const got = await fetch(source);
      if (!got.ok) throw new Error(`${source} answers ${got.status}`);
      const bytes = new Uint8Array(await got.arrayBuffer());
      if (asked !== this.#asked || !this.isConnected) return;
      const box = document.createElement("div");
      box.className = "whorl-box";
      box.style.cssText = "position:absolute;inset:0";
      this.append(box);
      const playing = await whorlPlay(bytes, box, (words) => this.#say("fault", { words }));
      if (!playing) return;
      if (asked !== this.#asked || !this.isConnected) return playing.stop();
      const canvas = box.querySelector("canvas");
      canvas.style.cssText = "width:100%;height:100%;display:block;touch-action:none";
      this.#playing = playing;
      playing.follow((what, now) => {
        if (what === "phase") this.#say("phase", { phase: now });
        if (what === "lever") {
          const { name } = playing.effect.levers.find((l) => l.id === now);
          this.#say("lever", { name: WhorlEffect.#plain(name), value: playing.levers.get(now) });
        }
      });
      for (const { name } of this.attributes) if (name.startsWith("lever-")) this.#taken(name);
      this.#stand();
      this.#say("ready", { levers: this.levers, variants: this.variants });
    } catch (e) {
      this.#say("fault", { words: e.message });
    }
  }

  /** Takes an attribute of a lever. */
  #taken(attribute) {
    const found = this.#found(attribute.slice("lever-".length));
    const text = this.getAttribute(attribute);
    if (!found || text === null) return;
    const numbers = text.trim().split(/[\s,]+/).map((x) => ({ on: 1, true: 1, off: 0, false: 0 })[x] ?? Number(x));
    const way = found.ways?.findIndex((w) => WhorlEffect.#plain(w.name) === WhorlEffect.#plain(text));
    if (way >= 0) return this.#playing.set(found.id, way);
    const several = found.kind === "colour" || found.kind === "place";
    if (numbers.length !== (several ? 3 : 1) || numbers.some((x) => !Number.isFinite(x))) {
      this.#say("fault", { words: `${attribute}="${text}" is not what ${found.name} takes` });
      return;
    }
    this.#playing.set(found.id, several ? numbers : numbers[0]);
  }

  #stand() {
    if (!this.#playing) return;
    const phase = this.getAttribute("phase");
    const still = phase !== null && Number.isFinite(Number(phase));
    if (still) this.#playing.phase = Number(phase);
    const wants = !still && !this.hasAttribute("paused");
    if (wants !== this.#playing.playing && (!wants || !window.matchMedia("(prefers-reduced-motion: reduce)").matches))
      this.#playing.playing = wants;
  }
}

customElements.define("whorl-effect", WhorlEffect);
