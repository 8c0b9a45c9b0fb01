// The bench's own window: asks for a reading and sends its line to the job pages open in this browser.

import { CHANNEL } from "./channel.js";

const main = document.querySelector("main");
const channel = new BroadcastChannel(CHANNEL);

async function read(card, parameters) {
  const problem = card.querySelector("[data-problem]");
  const query = new URLSearchParams({
    instrument: card.dataset.instrument, vehicle: main.dataset.vehicle, kind: main.dataset.kind, ...parameters,
  });
  const answer = await fetch(`/bench/reading?${query}`, { headers: { "HX-Request": "true" } });
  problem.hidden = answer.ok;
  if (!answer.ok) {
    problem.innerHTML = await answer.text();
    return;
  }
  const { line } = await answer.json();
  document.getElementById("last").textContent = line;
  channel.postMessage({ line });
  const place = card.querySelector("select[data-place]");
  if (place && !parameters.value) place.selectedIndex = (place.selectedIndex + 1) % place.options.length;
}

document.addEventListener("click", (event) => {
  const card = event.target.closest("[data-instrument]");
  if (!card) return;
  if (event.target.matches("[data-measure]")) {
    const corner = document.getElementById("corner").value;
    read(card, { corner, place: card.querySelector("[data-place]").value });
  } else if (event.target.matches("[data-send]")) {
    read(card, { value: card.querySelector("[data-value]").value.trim().replace(",", ".") });
  }
});
