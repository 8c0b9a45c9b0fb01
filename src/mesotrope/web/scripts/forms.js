// The forms that are acts: which is which, and what one sends.

// What a form sends anyway and is made new for each act, and what of the plan its page showed.
const OWN = ["change_token", "idempotency_key"];
const OF_THE_PAGE = ["plan", "seen"];

export const ACTS = "form[data-act]";

export const fieldsOf = (form, submitter) => [...new FormData(form, submitter)].filter(([name]) => !OWN.includes(name));

// Which form this is, whatever is typed in it: its address with what stands in it unseen, but for what a tap turns round.
export const nameOf = (form) => {
  const unseen = [...form.querySelectorAll("input[type=hidden]")]
    .filter((f) => ![...OWN, ...OF_THE_PAGE].includes(f.name) && !f.matches("[data-turns], [data-drawn]"));
  return [form.getAttribute("action"), ...unseen.map((f) => `${f.name}=${f.value}`)].join("|");
};

export const formNamed = (name) => [...document.querySelectorAll(ACTS)].find((form) => nameOf(form) === name);
