// Entry at the speed of a hand: Enter goes on, = repeats the partner side, a letter or a digit picks a word,
// arrows move over the page.

import { answered, keep, undo } from "./keep.js";
import { FIELDS, isGroup, messageOf, placeById, placeOf, show, stands, valueOf } from "./page.js";

// The places to enter something, in the order of a hand; what is folded waits.
const places = () => [...document.querySelectorAll("#entries [data-entry], #entries [data-entry-group], #go-on")]
  .filter((place) => !place.closest("details:not([open])"));

export function focusOn(place, options) {
  const folded = place.closest("details.later");
  if (folded) folded.open = true;
  const target = isGroup(place) ? (place.querySelector("input:checked") ?? place.querySelector("input")) : place;
  target.focus(options);
  if (target.matches("input.figure")) target.select();
}

export function go(from, step) {
  const all = places();
  const next = all[all.indexOf(placeOf(from)) + step];
  if (next) focusOn(next);
}

// The nearest place in a direction, as the eye sees it.
function move(from, dx, dy) {
  const here = placeOf(from).getBoundingClientRect();
  const centre = (box) => [box.left + box.width / 2, box.top + box.height / 2];
  const [x, y] = centre(here);
  let best = null;
  let least = Infinity;
  for (const place of places()) {
    if (place === placeOf(from) || place.id === "go-on") continue;
    const [px, py] = centre(place.getBoundingClientRect());
    const along = (px - x) * dx + (py - y) * dy;
    const across = Math.abs((px - x) * dy) + Math.abs((py - y) * dx);
    if (along > 4 && along + 2.5 * across < least) {
      least = along + 2.5 * across;
      best = place;
    }
  }
  if (best) focusOn(best);
}

function partnerOf(place) {
  const id = place.dataset.id;
  const other = id.includes("-left-") ? id.replace("-left-", "-right-") : id.replace("-right-", "-left-");
  return other === id ? null : placeById(other);
}

function repeatPartner(place) {
  const partner = partnerOf(place);
  const value = partner && (isGroup(partner) ? partner.querySelector("input:checked")?.value : partner.value);
  if (!value) return;
  show(place, value);
  keep(place);
  go(place, 1);
}

function choose(input) {
  input.checked = true;
  input.focus();
  keep(placeOf(input));
}

function pick(group, key) {
  const inputs = [...group.querySelectorAll("input")];
  if (/^[1-9]$/.test(key)) {
    if (!inputs[key - 1]) return false;
    choose(inputs[key - 1]);
    go(group, 1);
    return true;
  }
  const begins = inputs.filter((i) => i.nextElementSibling.textContent.trim().toLowerCase().startsWith(key));
  if (!begins.length) return false;
  const at = begins.indexOf(inputs.find((i) => i.checked));
  choose(begins[(at + 1) % begins.length]);
  if (begins.length === 1) go(group, 1);
  return true;
}

const ARROWS = { ArrowUp: [0, -1], ArrowDown: [0, 1], ArrowLeft: [-1, 0], ArrowRight: [1, 0] };

function arrow(event, field) {
  const [dx, dy] = ARROWS[event.key];
  if (dx && field.matches("[data-choice]")) return; // left and right choose within the row of words
  if (dx && field.matches("input")) {
    const all = field.selectionStart === 0 && field.selectionEnd === field.value.length;
    const edge = dx < 0 ? field.selectionEnd === 0 : field.selectionStart === field.value.length;
    if (!all && !edge) return;
  }
  event.preventDefault();
  keepTyped(field);
  move(field, dx, dy);
}

const keepTyped = (field) => field.matches("[data-entry]") && keep(field);

function enter(event, field) {
  event.preventDefault();
  const place = placeOf(field);
  if (event.shiftKey) return go(field, -1);
  if (place.hasAttribute("aria-invalid") && field.value.trim() === place.dataset.sent) {
    if (!messageOf(place)?.querySelector("[data-surprising]")) return;
    keep(place, { confirmed: true });
    return go(field, 1);
  }
  keepTyped(field);
  go(field, 1);
}

document.addEventListener("change", (event) => {
  if (event.target.matches("[data-entry], [data-choice]")) keep(placeOf(event.target));
});

document.addEventListener("keydown", (event) => {
  const field = event.target;
  const plain = !event.ctrlKey && !event.metaKey && !event.altKey;
  if (event.key === "?" && plain) {
    const dialog = document.getElementById("keys");
    if (dialog && !dialog.open) {
      event.preventDefault();
      dialog.showModal();
    }
    return;
  }
  if (event.key === "z" && (event.ctrlKey || event.metaKey) && document.getElementById("entries")) {
    const typing = field.matches("input[data-entry]") && field.value.trim() !== (field.dataset.sent ?? field.dataset.kept);
    if (typing) return; // the browser takes back what is being typed
    event.preventDefault();
    undo();
    return;
  }
  if (!field.matches("[data-entry], [data-choice]") || !plain) return;
  if (event.key === "Enter") enter(event, field);
  else if (event.key in ARROWS) arrow(event, field);
  else if (event.key === "=") {
    event.preventDefault();
    repeatPartner(placeOf(field));
  } else if (field.matches("[data-choice]") && /^[a-z1-9]$/i.test(event.key)) {
    if (pick(placeOf(field), event.key.toLowerCase())) event.preventDefault();
  }
});

document.addEventListener("click", (event) => {
  const part = event.target.closest("[data-leads-to]");
  const place = part && placeById(part.dataset.leadsTo);
  if (place && part.dataset.enters) enterTapped(place, part.dataset.enters);
  if (place) return focusOn(place);
  if (part) {
    const finding = part.dataset.leadsTo.replace(/^(front|rear)(-left|-right)?-/, "");
    const link = [...document.querySelectorAll("[data-findings]")].find((step) =>
      step.dataset.findings.split(" ").some((name) => finding === name || finding.startsWith(`${name}-`)),
    );
    if (link) location.assign(`${link.href}#${part.dataset.leadsTo}`);
    return;
  }
  const brief = event.target.closest("[data-suspects]");
  if (brief) {
    const open = document.body.classList.toggle("suspects-open"); // kept when the suspects are made anew
    brief.setAttribute("aria-expanded", String(open));
    return;
  }
  const opener = event.target.closest("[data-opens]");
  if (opener) document.getElementById(opener.dataset.opens).showModal();
  if (event.target.closest("[data-undo]")) undo();
  const back = event.target.closest("[data-takes-back]");
  if (back) {
    const group = placeOf(back);
    show(group, "");
    keep(group);
  }
  const stand = event.target.closest("[data-stand]");
  if (stand) chooseWhichStands(stand);
});

// A mark on a drawing that stands for a value.
function enterTapped(place, value) {
  show(place, value);
  keep(place);
}

// Two people entered the same finding: the one who came second says which stands.
function chooseWhichStands(button) {
  const place = placeById(button.closest("[data-message-of]").dataset.messageOf);
  show(place, button.value);
  stands(place, button.dataset.stand === "theirs" ? button.value : "", button.dataset.entry);
  messageOf(place).textContent = "";
  place.removeAttribute("aria-invalid");
  delete place.dataset.sent;
  answered(place);
  if (button.dataset.stand === "mine") keep(place, { seen: button.dataset.entry });
  focusOn(place);
}

// A link to an entry puts the cursor in it; who began to type while the scripts were on their way keeps it where it is.
export function start() {
  if (!document.getElementById("entries")) return;
  document.querySelector(".rail-step[aria-current]")?.scrollIntoView({ inline: "center", block: "nearest" });
  const wanted = location.hash && placeById(location.hash.slice(1));
  const first = wanted || places()[0];
  if (document.activeElement.matches(FIELDS)) return;
  if (first && first.id !== "go-on") focusOn(first, { preventScroll: !wanted }); // the plate stays in sight
}

// What was entered while the scripts were on their way is kept like what comes after; what a browser that goes back filled
// in by itself gives way to what is kept.
export function keepEarly(entered) {
  for (const place of document.querySelectorAll("[data-entry], [data-entry-group]")) {
    const known = place.dataset.sent ?? place.dataset.kept ?? "";
    if (valueOf(place) === known) continue;
    if (!entered) show(place, known);
    else if (!place.contains(document.activeElement)) keep(place);
  }
}
