// Acts: a tick, a signature, a figure measured again, a release, a photograph. A form that is marked as one goes into the
// queue like an entry; the page shows at once what was done, and brings in the answer without touching what is typed.

import { bringIn, parsed } from "./bring.js";
import { ACTS, fieldsOf, formNamed, nameOf } from "./forms.js";
import { FIELDS, isTyped, say, who } from "./page.js";
import { add, newKey, nothingWaits, register, waits } from "./queue.js";
import { savedNow, t } from "./words.js";

// A second tap within this time, on what takes itself back, is the first one's echo.
const ECHO_MS = 400;

// Shows at once what a tap does: what is ticked, what is pressed.
function turn(form, submitter) {
  const turned = form.querySelector("[data-turns]");
  const button = submitter ?? form.querySelector("button");
  if (turned) {
    const done = turned.value === "yes";
    turned.value = done ? "no" : "yes";
    button.setAttribute("aria-pressed", String(done));
  } else if (button?.hasAttribute("aria-pressed")) {
    const on = button.getAttribute("aria-pressed") !== "true";
    for (const one of form.querySelectorAll("[aria-pressed]")) one.setAttribute("aria-pressed", "false");
    button.setAttribute("aria-pressed", String(on));
  } else {
    form.dataset.pending = "";
  }
}

// And takes that back. Of several words the one that stands sends nothing, for a tap on it takes it back.
function turnBack(form) {
  if (form.querySelector("[data-turns]")) return turn(form);
  for (const one of form.querySelectorAll("button[aria-pressed]")) one.setAttribute("aria-pressed", String(one.value === ""));
}

let lastTurn = { name: "", at: 0 };

// What is typed in other forms that belong to this act goes before it: a release takes a stop-gap along.
function actBefore(form) {
  for (const other of document.querySelectorAll("form.stop-gap-form")) {
    const changed = [...other.elements]
      .some((field) => field.matches(FIELDS) && isTyped(field));
    if (other !== form && changed && form.matches(".release-form")) act(other);
  }
}

// Several pictures chosen at once are acts of their own: one that is refused leaves the others.
function eachPicture(fields) {
  const files = fields.filter(([, value]) => typeof value !== "string");
  const others = fields.filter(([, value]) => typeof value === "string");
  return files.length ? files.map((file) => [...others, file]) : [fields];
}

const described = ([name, value]) =>
  typeof value === "string" ? [name, value] : [name, value.name, value.size, value.lastModified];

function act(form, submitter) {
  actBefore(form);
  for (const fields of eachPicture(fieldsOf(form, submitter))) actWith(form, submitter, fields);
}

function actWith(form, submitter, fields) {
  const name = nameOf(form);
  const said = JSON.stringify(fields.map(described));
  const turns = form.querySelector("[data-turns]");
  const echo = lastTurn.name === name && Date.now() - lastTurn.at < ECHO_MS;
  if (turns ? echo : waits((one) => one.name === name && one.said === said)) return;
  lastTurn = { name, at: Date.now() };
  add({
    kind: "act", key: newKey(), who, name, said, address: form.action, fields, target: form.dataset.target,
    page: location.pathname,
  });
  turn(form, submitter);
}

register("act", {
  settle,
  show(item) {
    const form = item.page === location.pathname && formNamed(item.name);
    if (!form) return;
    for (const [name, value] of item.fields) {
      const field = form.elements.namedItem(name);
      if (typeof value === "string" && field?.matches?.("input:not([type=hidden]), select, textarea")) field.value = value;
    }
    const said = Object.fromEntries(item.fields.filter(([, value]) => typeof value === "string"));
    const pressed = [...form.querySelectorAll("button[name]")].find((one) => said[one.name] === one.value);
    turn(form, pressed);
  },
});

// What was done and is not on this page yet, for more waited, and the page that came with the last of it.
const done = [];
let latest = "";

function settle(item, answer, html) {
  const here = item.page === location.pathname;
  const form = here && formNamed(item.name);
  const refused = answer.status >= 400;
  const onward = answer.headers.get("HX-Redirect");
  if (onward && here && !refused) return location.assign(onward);
  if (here && !refused) {
    if (form) delete form.dataset.pending;
    done.push(item);
    latest = html;
  }
  if (!waits((one) => one.kind === "act" && one.page === location.pathname)) catchUp();
  if (!refused) return say(nothingWaits() ? savedNow() : t("saving"));
  if (form) {
    turnBack(form);
    refuse(form, html);
  }
  if (here && parsed(html).querySelector("[data-look-again]")) lookAgain(item, html);
  say(here ? t("not done: see the message") : t("not done: {why}", { why: wordsOf(html) }));
}

function catchUp() {
  const acts = done.splice(0);
  for (const target of new Set(acts.map((one) => one.target))) bringIn(target, latest, { done: acts });
}

// Brings in the page as it is now, if it can be had; whether it could.
async function bringInNow(more) {
  const answer = await fetch(location.href).catch(() => null);
  if (!answer?.ok || answer.redirected) return false;
  bringIn("#work", await answer.text(), more);
  return true;
}

// Something changed that this page did not show yet: it is brought in, and the refusal stands where it was asked for.
async function lookAgain(item, html) {
  const form = (await bringInNow({ told: item.name })) && formNamed(item.name);
  if (form) refuse(form, html);
}

function wordsOf(html) {
  const page = parsed(html);
  const said = page.querySelector(".entry-problem") ?? page.querySelector("main");
  return said?.textContent.trim().slice(0, 200) ?? t("refused");
}

// The message of a refusal: at the form, in view, with the cursor where it can be put right.
function refuse(form, html) {
  delete form.dataset.pending;
  const message = document.getElementById("message");
  const words = wordsOf(html);
  if (message) {
    message.replaceChildren(Object.assign(document.createElement("span"), { className: "entry-problem", textContent: words }));
  }
  let own = form.querySelector(".act-message");
  if (!own) {
    own = Object.assign(document.createElement("p"), { className: "act-message entry-problem" });
    form.append(own);
  }
  own.textContent = words;
  form.querySelector("[data-confirms]")?.remove();
  const confirms = parsed(html).querySelector("[data-confirms]"); // what was asked can be answered where it was asked
  const answer = confirms && document.adoptNode(confirms);
  if (answer) own.after(answer);
  const field = form.querySelector("input:not([type=hidden]):not([type=file]), select, textarea, button");
  field?.focus({ preventScroll: true });
  (answer ?? own).scrollIntoView({ block: "nearest" });
}

// The worker sent what waited when the page went: the page that came since may not show it yet.
navigator.serviceWorker?.addEventListener("message", (event) => {
  if (event.data === "sent" && nothingWaits()) bringInNow();
});

document.addEventListener("submit", (event) => {
  const form = event.target.closest(ACTS);
  if (!form || event.defaultPrevented) return;
  event.preventDefault();
  act(form, event.submitter);
});

document.addEventListener("change", (event) => {
  const form = event.target.closest("form[data-act~=change]");
  if (form) act(form);
});

// What was entered while the scripts were on their way is done like what comes after.
export function actEarly() {
  for (const form of document.querySelectorAll("form[data-act~=change]")) {
    if (!form.contains(document.activeElement) && [...form.querySelectorAll(FIELDS)].some(isTyped)) act(form);
  }
}
