// Entry at the speed of a hand: Enter goes on, = repeats the partner side, a letter picks a word.
// Every entry carries a key of its own, so that sending it twice records it once.
(() => {
  "use strict";

  const entries = () =>
    [...document.querySelectorAll("#entries [data-entry], #entries [data-entry-group], #go-on")];

  const stop = (element) => element.closest("[data-entry-group]") || element;

  const newKey = () =>
    [...crypto.getRandomValues(new Uint8Array(16))].map((b) => b.toString(16).padStart(2, "0")).join("");

  function focusOn(place) {
    const group = place.matches("[data-entry-group]");
    const target = group ? place.querySelector("input:checked") || place.querySelector("input") : place;
    target.focus();
    if (target.matches("input.figure")) target.select();
  }

  function go(from, step) {
    const all = entries();
    const next = all[all.indexOf(stop(from)) + step];
    if (next) focusOn(next);
  }

  // Entries not yet acknowledged, oldest first. Each has a key of its own, so that it is recorded once however often
  // it is sent. All go one after the other (hx-sync), so that an older answer never overwrites a newer one.
  const queue = [];

  const say = (words) => (document.getElementById("saved").textContent = words);

  // Sends what stands in a field, unless it is what was sent last.
  function keep(field, { confirmed = false, takeBack = false } = {}) {
    const value = takeBack ? "" : field.value.trim();
    if (field.matches("[data-entry]") && value === (field.dataset.sent ?? field.dataset.kept) && !confirmed) return;
    field.dataset.sent = value;
    queue.push({ field, value, key: newKey(), confirmed: confirmed ? "yes" : "", underWay: false });
    say("saving");
    htmx.trigger(field, "keep");
  }

  const messageOf = (field) => document.getElementById(field.getAttribute("aria-describedby"));

  document.addEventListener("change", (event) => {
    if (event.target.matches("[data-entry], [data-choice]")) keep(event.target);
  });

  document.addEventListener("htmx:configRequest", (event) => {
    const entry = queue.find((waiting) => waiting.field === event.detail.elt && !waiting.underWay);
    if (!entry) {
      if (event.detail.elt.matches("[data-entry], [data-choice]")) event.preventDefault();
      return;
    }
    entry.underWay = true;
    event.detail.headers["Idempotency-Key"] = entry.key;
    event.detail.parameters.value = entry.value;
    event.detail.parameters.confirmed = entry.confirmed;
    say("saving");
  });

  document.addEventListener("htmx:afterRequest", (event) => {
    const field = event.detail.elt;
    const at = queue.findIndex((entry) => entry.field === field && entry.underWay);
    if (at < 0 || !event.detail.xhr || event.detail.xhr.status === 0) return;
    queue.splice(at, 1);
    const refused = event.detail.xhr.status >= 400;
    field.toggleAttribute("aria-invalid", refused);
    if (refused) say("not saved: see the message at the field");
    else if (queue.length) say("saving");
  });

  // The network is away: the entry goes again, with the same key, until it arrives.
  document.addEventListener("htmx:sendError", (event) => {
    const field = event.detail.elt;
    const entry = queue.find((sent) => sent.field === field && sent.underWay);
    if (!entry) return;
    entry.underWay = false;
    say("not sent yet: will send when the network is back");
    setTimeout(() => field.isConnected && htmx.trigger(field, "keep"), 2000);
  });

  // The page goes away with entries still waiting: the last one of each place goes along, under its own key.
  window.addEventListener("pagehide", () => {
    const last = new Map(queue.map((entry) => [entry.field.getAttribute("hx-vals"), entry]));
    for (const [place, { field, value, key, confirmed }] of last) {
      fetch(field.getAttribute("hx-post"), {
        method: "POST",
        keepalive: true,
        headers: { ...JSON.parse(document.body.getAttribute("hx-headers")), "HX-Request": "true", "Idempotency-Key": key },
        body: new URLSearchParams({ ...JSON.parse(place), value, confirmed }),
      });
    }
  });

  function partnerOf(field) {
    const id = field.id;
    const other = id.includes("-left-") ? id.replace("-left-", "-right-") : id.replace("-right-", "-left-");
    return other === id ? null : document.getElementById(other);
  }

  function repeatPartner(field) {
    if (field.matches("[data-choice]")) {
      const group = field.closest("[data-entry-group]");
      const partner = partnerOf(group.querySelector("input"));
      const chosen = partner && partner.closest("[data-entry-group]").querySelector("input:checked");
      if (chosen) choose([...group.querySelectorAll("input")].find((i) => i.value === chosen.value));
      return;
    }
    const partner = partnerOf(field);
    if (partner && partner.value) {
      field.value = partner.value;
      keep(field);
      go(field, 1);
    }
  }

  function choose(input) {
    input.checked = true;
    input.focus();
    keep(input);
  }

  document.addEventListener("keydown", (event) => {
    const field = event.target;
    if (event.key === "?" && !event.ctrlKey && !event.metaKey) {
      const dialog = document.getElementById("keys");
      if (dialog && !dialog.open) {
        event.preventDefault();
        dialog.showModal();
      }
      return;
    }
    if (!field.matches("[data-entry], [data-choice]")) return;
    if (event.key === "Enter") {
      event.preventDefault();
      if (event.shiftKey) {
        go(field, -1);
      } else if (field.hasAttribute("aria-invalid") && field.value.trim() === field.dataset.sent) {
        const message = messageOf(field);
        if (message && message.querySelector("[data-surprising]")) {
          keep(field, { confirmed: true });
          go(field, 1);
        }
      } else {
        if (field.matches("[data-entry]")) keep(field);
        go(field, 1);
      }
    } else if (event.key === "=") {
      event.preventDefault();
      repeatPartner(field);
    } else if (field.matches("[data-choice]") && /^[a-z]$/i.test(event.key)) {
      const inputs = [...field.closest("[data-entry-group]").querySelectorAll("input")];
      const begins = inputs.filter((i) => i.nextElementSibling.textContent.trim().toLowerCase().startsWith(event.key));
      const at = begins.indexOf(inputs.find((i) => i.checked));
      if (begins.length) choose(begins[(at + 1) % begins.length]);
    }
  });

  document.addEventListener("click", (event) => {
    const part = event.target.closest("[data-leads-to]");
    const entry = part && document.getElementById(part.dataset.leadsTo);
    if (entry) {
      focusOn(stop(entry));
      return;
    }
    const opener = event.target.closest("[data-opens]");
    if (opener) document.getElementById(opener.dataset.opens).showModal();
    const back = event.target.closest("[data-takes-back]");
    if (back) {
      const inputs = [...back.closest("[data-entry-group]").querySelectorAll("input")];
      inputs.forEach((input) => (input.checked = false));
      keep(inputs[0], { takeBack: true });
    }
  });

  // A link to an entry puts the cursor in it.
  window.addEventListener("DOMContentLoaded", () => {
    const wanted = location.hash && document.getElementById(location.hash.slice(1));
    const first = wanted && wanted.matches("[data-entry], [data-choice]") ? wanted : null;
    const start = first ? stop(first) : entries()[0];
    if (start && start.id !== "go-on") focusOn(start);
  });
})();
