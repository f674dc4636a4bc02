// The page: what a hand does on it becomes devices of Green Trigger, and what comes of them is
// drawn under the hand.

import { Keys } from "./keys.js";
import { Link, Refused, enter, inWords } from "./link.js";
import { Pads } from "./pads.js";
import { Pointers } from "./pointers.js";
import { View } from "./view.js";

const SETTLED_MS = 400;
const AGAIN_MS = 500;
const by = (id) => document.getElementById(id);

// The key of the address came behind the sign that browsers do not send. It lets in once; the one
// that is given for it is kept for a reload.
const said = new URLSearchParams(location.hash.slice(1)).get("k");
history.replaceState(null, "", location.pathname);
// Another address of the same place does not load the page again by itself.
window.addEventListener("hashchange", () => location.reload());

const isName = (name) => /^[A-Za-z0-9._-]{1,40}$/.test(name);
const kind = matchMedia("(pointer: coarse)").matches ? "phone" : "browser";
const made = () => `${kind}-${Math.random().toString(36).slice(2, 6)}`;
// Each tab is a sender of its own, and the same one when it is loaded again.
const name = sessionStorage.getItem("name") ?? made();
sessionStorage.setItem("name", name);

const canvas = by("panel");
const state = by("state");
const view = new View(canvas, by("news"));

const tell = (words) => (state.textContent = words);
// A page that was let in before, and whose address was used up by it, has its own key.
const keys = [said, sessionStorage.getItem("key")].filter(Boolean);
if (keys.length > 0) come(keys);
else tell("○ no key: open the address that Green Trigger shows, with what is behind #");

async function come(keys) {
  let own;
  try {
    own = await enterBy(keys);
  } catch (error) {
    tell(inWords(error));
    if (!(error instanceof Refused)) setTimeout(() => come(keys), AGAIN_MS);
    return;
  }
  sessionStorage.setItem("key", own);
  // Long words make the panel smaller, and it gets its size now.
  tell("connecting");
  begin(new Link({ key: own, name, onLine: (line) => view.heard(line), onState: tell }));
}

/** Comes in by the first of these keys that is good. */
async function enterBy([key, ...others]) {
  try {
    return await enter(key);
  } catch (error) {
    if (others.length === 0 || !(error instanceof Refused)) throw error;
    return enterBy(others);
  }
}

function begin(link) {
  const keys = new Keys(window, link);
  const pointers = new Pointers(canvas, link);
  new Pads(link);

  const size = () => [canvas.clientWidth, canvas.clientHeight];
  pointers.resize(size());
  let settled = null;
  window.addEventListener("resize", () => {
    clearTimeout(settled);
    settled = setTimeout(function fit() {
      // A panel does not change under the hand.
      if (pointers.isTouched()) settled = setTimeout(fit, SETTLED_MS);
      else if (String(size()) !== String(pointers.size)) pointers.resize(size());
    }, SETTLED_MS);
  });

  const isAway = () => document.hidden || !document.hasFocus();
  const look = () => {
    pointers.setDeaf(document.hidden);
    keys.setDeaf(isAway());
  };
  for (const what of ["blur", "focus"]) window.addEventListener(what, look);
  document.addEventListener("visibilitychange", look);

  by("name").value = link.name;
  by("name").addEventListener("change", ({ target }) => {
    if (isName(target.value)) {
      sessionStorage.setItem("name", target.value);
      link.rename(target.value);
    } else {
      target.value = link.name;
      tell("a name is 1 to 40 of A-Z a-z 0-9 - . _");
    }
    target.blur();
  });
  by("full").addEventListener("click", () => document.documentElement.requestFullscreen?.());

  (function frame() {
    pointers.flush();
    link.catchUp();
    view.draw(pointers.fingers.values());
    requestAnimationFrame(frame);
  })();
}
