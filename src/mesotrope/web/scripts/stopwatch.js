// A stopwatch and turn counter for one thumb: let go, tap at every turn, tap when it stands.

import { keep } from "./keep.js";
import { placeById, show } from "./page.js";

export function stopwatch() {
  const dialog = document.getElementById("stopwatch");
  if (!dialog) return;
  const part = (name) => dialog.querySelector(`[data-watch="${name}"]`);
  let corner, began, seconds, turns, ticking;

  const draw = () => {
    part("seconds").textContent = seconds.toFixed(1);
    part("turns").textContent = String(turns);
  };

  const phase = (name) => {
    dialog.dataset.phase = name;
    for (const element of dialog.querySelectorAll("[data-phase]")) {
      element.hidden = !element.dataset.phase.split(" ").includes(name);
    }
  };

  const reset = () => {
    clearInterval(ticking);
    seconds = turns = 0;
    draw();
    phase("ready");
  };

  const actions = {
    go() {
      began = performance.now();
      phase("turning");
      ticking = setInterval(() => {
        seconds = (performance.now() - began) / 1000;
        draw();
      }, 100);
    },
    turn() {
      turns += 1;
      draw();
    },
    stop() {
      clearInterval(ticking);
      seconds = Math.round((performance.now() - began) / 100) / 10;
      draw();
      phase("stopped");
    },
    more() {
      turns += 0.25;
      draw();
    },
    less() {
      turns = Math.max(0, turns - 0.25);
      draw();
    },
    again: reset,
    keep() {
      for (const [name, value] of [["turns", turns], ["seconds", turns ? seconds : 0]]) {
        const place = placeById(`${corner}-spin-${name}`);
        show(place, String(value));
        keep(place);
      }
      dialog.close();
    },
  };

  document.addEventListener("click", (event) => {
    const opener = event.target.closest("[data-stopwatch]");
    if (opener) {
      corner = opener.dataset.stopwatch;
      part("corner").textContent = opener.dataset.words;
      reset();
      dialog.showModal();
    }
    const action = event.target.closest("[data-action]");
    if (action && dialog.contains(action)) actions[action.dataset.action]();
  });
}
