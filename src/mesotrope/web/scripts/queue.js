// What waits to be sent: kept on this device first, then sent one after the other in the order it was made, each under a
// key of its own, so that it is done once however often it is sent, and none is lost with the network or the page.

import { forget, remember, remembered } from "./device.js";
import { say, who } from "./page.js";
import { requestOf } from "./sending.js";
import { renew, signInHere, token } from "./session.js";
import { t } from "./words.js";

const waiting = [];
const kinds = {};
let sending = false;
let underWay = null;
let retry;

export const newKey = () => [...crypto.getRandomValues(new Uint8Array(16))].map((b) => b.toString(16).padStart(2, "0")).join("");

// A kind of thing that waits: `settle` what was answered to it, `show` it again after a reload.
export const register = (kind, how) => {
  kinds[kind] = how;
};

const kindOf = (item) => kinds[item.kind];

export const nothingWaits = () => waiting.length === 0;
export const waits = (test) => waiting.some(test);
export const last = () => waiting[waiting.length - 1];
export const isBeingSent = (item) => item === underWay;

export function add(item) {
  item.at = Date.now() + waiting.length / 1000;
  waiting.push(item);
  say(t("saving"));
  remember(item);
  drain();
}

export function takeBack(item) {
  waiting.splice(waiting.indexOf(item), 1);
  forget(item.key);
}

const counted = () => {
  const entries = waiting.every((item) => item.kind === "entry");
  if (waiting.length === 1) return entries ? t("1 entry") : t("1 change");
  return t(entries ? "{count} entries" : "{count} changes", { count: waiting.length });
};

function held(why) {
  say(t("{changes} kept on this device: {why}", { changes: counted(), why }));
  navigator.serviceWorker?.ready.then((worker) => worker.sync?.register("send")).catch(() => undefined);
}

// How long an answer is waited for: longer where a picture goes along.
const PATIENCE_MS = { entry: 10000, act: 30000 };

const send = (item, more) => {
  const [address, request] = requestOf(item, token());
  return fetch(address, { ...request, ...more });
};

export async function drain() {
  if (sending) return;
  sending = true;
  clearTimeout(retry);
  while (waiting.length) {
    const item = waiting[0];
    let answer, html;
    underWay = item;
    try {
      answer = await send(item, { signal: AbortSignal.timeout(PATIENCE_MS[item.kind]) });
      html = await answer.text();
    } catch {
      answer = null;
    }
    if (!answer || answer.status >= 500) {
      held(answer ? t("will send when the server works again") : t("will send when the network is back"));
      retry = setTimeout(drain, 2000);
      break;
    }
    if (answer.status === 401 || (answer.status === 403 && (await changedSession()))) {
      if (answer.status === 403) continue; // with the session's new token
      held(t("sign in again to send"));
      signInHere(drain);
      break;
    }
    waiting.splice(waiting.indexOf(item), 1); // what waited from before may have come in front of it meanwhile
    const clashes = item.kind === "entry" && answer.status === 409; // waits on the device until it is answered
    // Forgotten for certain before anything follows: an answer may lead to another page, and what is still kept then
    // would be sent, and followed, once more.
    if (!clashes) await forget(item.key);
    kindOf(item).settle(item, answer, html);
  }
  sending = false;
  underWay = null;
}

// Whether a refusal came from a token that is no longer the session's: another window signed in meanwhile.
const changedSession = async () => (await renew()) === "renewed";

// What waited from before: shown again where it belongs, and sent.
export async function resume() {
  if (!who || !document.getElementById("saved")) return; // what is refused is to be said
  const known = new Set(waiting.map((item) => item.key));
  const before = (await remembered()).map((item) => ({ kind: "entry", ...item })); // as earlier versions kept them
  const older = before.filter((item) => item.who === who && kindOf(item) && !known.has(item.key));
  waiting.unshift(...older);
  for (const item of older) kindOf(item).show(item);
  if (waiting.length) drain();
}

window.addEventListener("online", drain);

// The page goes away with things still waiting: the worker of this device sends them in order, if it is there. One alone
// goes along by itself, under its own key.
window.addEventListener("pagehide", () => {
  if (!waiting.length) return;
  navigator.serviceWorker?.ready.then(({ active }) => active.postMessage("send")).catch(() => undefined);
  if (waiting.length === 1) send(waiting[0], { keepalive: true }).catch(() => {});
});
