// A part of the page as an answer has it. What stands there changes into it, so that whatever is being typed, tapped,
// drawn or read in it stays under the hand.

import { Idiomorph } from "./vendor/idiomorph.js";
import { ACTS, nameOf } from "./forms.js";
import { FIELDS, isTyped } from "./page.js";
import { giveForms } from "./rows.js";

export const parsed = (html) => new DOMParser().parseFromString(html, "text/html");

const isChoice = (field) => field.matches("[type=radio], [type=checkbox]");

// Forms and fields are told apart by what they are for, not by where they stand: a row may have come in between.
function tellApart(part) {
  const named = (element, name) => element.hasAttribute("id") || element.setAttribute("id", name);
  for (const form of part.querySelectorAll(ACTS)) {
    named(form, nameOf(form));
    for (const field of form.querySelectorAll(FIELDS)) {
      named(field, [form.getAttribute("id"), field.name, isChoice(field) ? field.value : ""].join("|"));
    }
  }
}

// What is typed in a part and was not sent with what is done: by field, how it is put back.
function typedIn(part, done) {
  const typed = new Map();
  const sent = new Map(done.map(({ name, fields }) => [name, fields]));
  for (const form of part.querySelectorAll(ACTS)) {
    const fields = sent.get(nameOf(form));
    for (const field of form.querySelectorAll(FIELDS)) {
      const { name, value, checked, selectionStart, selectionEnd } = field;
      const went = fields && (isChoice(field) || fields.some((one) => one[0] === name && one[1] === value));
      if (went || !isTyped(field)) continue;
      typed.set(field, () => {
        if (isChoice(field)) field.checked = checked;
        else field.value = value;
        if (field === document.activeElement && selectionStart !== null) field.setSelectionRange?.(selectionStart, selectionEnd);
      });
    }
    if (fields) for (const files of form.querySelectorAll("input[type=file]")) files.value = "";
  }
  return typed;
}

// What stood in forms when somebody began to type there: what is kept meanwhile by others is still asked about.
const seenBy = (fields, told) => [...new Set([...fields].map((field) => field.form))]
  .filter((form) => nameOf(form) !== told)
  .map((form) => form.querySelector("input[name=seen]")).filter(Boolean).map((seen) => [seen, seen.value]);

function filled(part, html) {
  part.innerHTML = html;
  return part;
}

// target : the part. html : a page that has it, or what fills it. done : the acts that are answered with it. told : the
// form at which it is said that somebody changed something: what stands there now is seen.
export function bringIn(target, html, { done = [], told } = {}) {
  const part = document.querySelector(target);
  if (!part) return;
  const fresh = parsed(html).querySelector(target) ?? filled(part.cloneNode(false), html);
  giveForms(fresh);
  tellApart(part);
  tellApart(fresh);
  const typed = typedIn(part, done);
  const seen = seenBy(typed.keys(), told);
  const at = part.contains(document.activeElement) ? document.activeElement : null;
  const then = at?.form?.dataset.then; // what stands where the form was: to be looked at
  const isDrawnOn = (node) => node.matches?.("[data-sign]") && typed.has(node.parentElement.querySelector("[data-drawn]"));
  Idiomorph.morph(part, fresh, {
    callbacks: {
      beforeNodeMorphed: (node) => !isDrawnOn(node),
      beforeAttributeUpdated: (name, element, how) => !(name === "open" && how === "remove" && element.open),
    },
  });
  for (const putBack of typed.values()) putBack();
  for (const [field, value] of seen) field.value = value;
  window.htmx.process(document.querySelector(target));
  document.getElementById("message")?.replaceChildren();
  if (!at || at === document.activeElement) return;
  const came = at.isConnected ? null : then && document.getElementById(then);
  (came ?? at).focus({ preventScroll: true });
  came?.scrollIntoView({ block: "nearest" });
}
