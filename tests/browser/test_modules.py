"""The scripts' modules by themselves, in the browser, with a server that each test answers for."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

import mesotrope

SCRIPTS = Path(mesotrope.__file__).parent / "web" / "scripts"
HERE = "http://modules.test"

BLANK = """<!doctype html><meta charset="utf-8">
<meta name="words" content='{words}'>
<body hx-headers='{{"X-Change-Token": "first-token"}}'>
<span id="saved"></span>
<main data-who="7" data-job="12" data-stage="strip" data-axle="front" data-wear="1">
<div id="entries">{body}</div></main>
"""

#: Two corners, each with a figure and a row of words, as a stage shows them.
ENTRIES = "".join(
    f"""<div style="position:absolute;left:{left}px;top:20px">
    <input class="figure" id="front-{side}-hose-mm" data-entry data-id="front-{side}-hose-mm" data-corner="front_{side}"
      data-path="hose_mm" data-kept="">
    <span id="message-front-{side}-hose-mm" data-message-of="front-{side}-hose-mm"></span>
    <fieldset id="front-{side}-pin" data-entry-group data-id="front-{side}-pin" data-corner="front_{side}"
      data-path="pin" style="margin-top:300px">
      {"".join(f'<label><input type="radio" name="{side}" data-choice value="{w}"><span>{w}</span></label>'
               for w in ("free", "stiff", "seized"))}
    </fieldset><span id="message-front-{side}-pin" data-message-of="front-{side}-pin"></span></div>"""
    for side, left in (("left", 20), ("right", 600))
)  # fmt: skip


@pytest.fixture
def modules(page):
    """Opens a page that has the modules and nothing else; what they fetch is kept, and answered as a test says."""

    def opened(body="", words=None):
        def answer(route):
            path = route.request.url.removeprefix(HERE)
            if path == "/":
                route.fulfill(body=BLANK.format(body=body, words=json.dumps(words or {})), content_type="text/html")
            else:
                route.fulfill(path=SCRIPTS / path.removeprefix("/"), content_type="text/javascript")

        page.route(f"{HERE}/**", answer)
        page.goto(f"{HERE}/")
        page.evaluate("""() => {
            window.sent = [];
            window.answers = [];
            window.htmx = { swap() {} };
            window.load = (name) => import(`/${name}.js`);
            window.fetch = async (address, request = {}) => {
                const body = request.body instanceof FormData ? "a form" : String(request.body ?? "");
                window.sent.push([address, body, request.headers?.["Idempotency-Key"] ?? ""]);
                const [status, text, headers] = window.answers.shift() ?? [200, "", {}];
                if (status === 0) throw new TypeError("no network");
                return new Response(text ?? "", { status, headers: headers ?? {} });
            };
        }""")
        return page

    return opened


def test_a_message_is_said_in_the_pages_language_with_its_gaps_filled(modules):
    page = modules(words={"saved {time}": "sparat {time}"})
    said = page.evaluate("""async () => {
        const { t, savedNow } = await load("words");
        const saved = t("saved {time}", { time: "9:30" });
        return [t("{count} entries", { count: 3 }), saved, t("a {gap} stays"), savedNow()];
    }""")
    assert said[:3] == ["3 entries", "sparat 9:30", "a {gap} stays"]
    assert said[3].startswith("sparat ")


def test_an_entry_and_an_act_are_sent_under_their_own_key_with_the_sessions_token(modules):
    entry, act, files = modules().evaluate("""async () => {
        const { requestOf } = await load("sending");
        const told = ([address, { method, headers, body }]) => [address, method, headers, String(body)];
        const entry = { kind: "entry", job: 12, key: "k1", corner: "front_left", path: "hose", value: "sound" };
        const act = { kind: "act", key: "k2", address: "/jobs/12/card/tick", target: "#work" };
        act.fields = [["step", "a b"]];
        const picture = { ...act, fields: [["picture", new File(["x"], "x.jpg")]] };
        const [, { body }] = requestOf(picture, "T");
        return [told(requestOf(entry, "T")), told(requestOf(act, "T")), body instanceof FormData];
    }""")
    assert entry[:2] == ["/jobs/12/findings", "POST"]
    assert entry[2] == {"X-Change-Token": "T", "HX-Request": "true", "Idempotency-Key": "k1"}
    assert "corner=front_left&path=hose&value=sound" in entry[3]
    assert act[:2] == ["/jobs/12/card/tick", "POST"]
    assert (act[2]["HX-Target"], act[3]) == ("work", "step=a+b")
    assert files


def test_what_waits_on_the_device_comes_back_in_the_order_it_was_made(modules):
    kept = modules().evaluate("""async () => {
        const { forget, remember, remembered } = await load("device");
        for (const [key, at] of [["c", 3], ["a", 1], ["b", 2]]) await remember({ key, at });
        await forget("b");
        return (await remembered()).map((item) => item.key);
    }""")
    assert kept == ["a", "c"]


def test_what_follows_is_asked_once_for_several_entries_and_not_while_one_waits(modules):
    asked, meanwhile = modules().evaluate("""async () => {
        const { bringUpToDate } = await load("follow");
        const queue = await load("queue");
        const pause = (ms) => new Promise((done) => setTimeout(done, ms));
        for (let n = 0; n < 4; n++) bringUpToDate();
        await pause(60);
        const asked = window.sent.map(([address]) => address);
        window.sent.length = 0;
        window.answers = [[0]]; // the entry waits for the network
        queue.register("entry", { settle() {}, show() {} });
        queue.add({ kind: "entry", job: 12, key: "k1", value: "3.4" });
        bringUpToDate();
        await pause(60);
        return [asked, window.sent.map(([address]) => address)];
    }""")
    assert asked == ["/jobs/12/strip/refresh?axle=front&wear=1"]
    assert meanwhile == ["/jobs/12/findings"]


#: Adds three entries to the queue and waits until it is still; `told` is what was settled.
QUEUED = """async (answers) => {
    window.answers = answers;
    const queue = await load("queue");
    const told = [];
    queue.register("entry", { settle: (item, answer) => told.push([item.key, answer.status]), show() {} });
    for (const key of ["k1", "k2", "k3"]) queue.add({ kind: "entry", job: 12, key, value: key });
    const pause = (ms) => new Promise((done) => setTimeout(done, ms));
    for (let n = 0; n < 100 && !queue.nothingWaits() && window.answers.length; n++) await pause(20);
    await pause(60);
    const { remembered } = await load("device");
    return { told, sent: window.sent.map(([address, , key]) => key || address),
             said: document.getElementById("saved").textContent, kept: (await remembered()).map((item) => item.key) };
}"""


def test_what_waits_is_sent_one_after_the_other_and_a_refusal_holds_nothing_up(modules):
    found = modules().evaluate(QUEUED, [[200], [422], [200]])
    assert found["sent"] == ["k1", "k2", "k3"]
    assert found["told"] == [["k1", 200], ["k2", 422], ["k3", 200]]
    assert found["kept"] == []


@pytest.mark.parametrize(
    ("status", "why"), [(0, "when the network is back"), (503, "when the server works again")]
)  # fmt: skip
def test_without_an_answer_everything_stays_on_the_device_and_is_tried_again_under_the_same_key(modules, status, why):
    page = modules()
    found = page.evaluate(QUEUED, [[200], [status]])
    assert (found["told"], found["kept"]) == ([["k1", 200]], ["k2", "k3"])
    assert found["said"] == f"2 entries kept on this device: will send {why}"
    page.wait_for_function("window.sent.length === 4")
    assert page.evaluate("window.sent.map((one) => one[2])") == ["k1", "k2", "k2", "k3"]


def test_a_session_that_ended_asks_for_the_door_and_keeps_what_waits(modules):
    door = '<div class="sign-in-sheet"><form action="/sign-in"><button>Sign in</button></form></div>'
    page = modules()
    found = page.evaluate(QUEUED, [[401], [200, door]])
    assert (found["told"], found["kept"]) == ([], ["k1", "k2", "k3"])
    assert found["said"] == "3 entries kept on this device: sign in again to send"
    assert page.locator("dialog.sign-in-here .sign-in-sheet").is_visible()


@pytest.mark.parametrize(
    ("answer", "state", "token"),
    [
        ([200, '{"person": 7, "token": "first-token"}'], "same", "first-token"),
        ([200, '{"person": 7, "token": "another"}'], "renewed", "another"),
        ([200, '{"person": 8, "token": "another"}'], "another", "first-token"),
        ([401, '{"person": null}'], "ended", "first-token"), ([500, ""], "away", "first-token"),
        ([0, ""], "away", "first-token"),
    ],
)  # fmt: skip
def test_whose_session_it_is_decides_which_token_is_sent(modules, answer, state, token):
    assert modules().evaluate("""async (answer) => {
        window.answers = [answer];
        const { renew, token } = await load("session");
        return [await renew(), token()];
    }""", answer) == [state, token]  # fmt: skip


@pytest.fixture
def strip(modules):
    page = modules(ENTRIES)
    page.evaluate("async () => { await load('entry'); }")
    return page


def sent_of(page):
    page.wait_for_timeout(80)
    entries = [body for address, body, _ in page.evaluate("window.sent") if address.endswith("/findings")]
    return [dict(pair.split("=") for pair in body.split("&"))["value"] for body in entries]


def test_a_letter_picks_a_word_a_digit_its_place_and_a_second_letter_the_next_that_begins_so(strip):
    strip.locator("#front-left-pin input").first.focus()
    for key, chosen in (("f", "free"), ("3", "seized"), ("s", "stiff"), ("s", "seized")):
        strip.locator("#front-left-pin input").first.focus()
        strip.keyboard.press(key)
        assert strip.locator("#front-left-pin input:checked").input_value() == chosen


def test_enter_keeps_and_goes_on_and_an_equals_sign_repeats_the_partner(strip):
    strip.locator("#front-left-hose-mm").fill("9.5")
    strip.keyboard.press("Enter")
    assert strip.evaluate("document.activeElement.name") == "left"
    strip.locator("#front-right-hose-mm").focus()
    strip.keyboard.press("=")
    assert strip.locator("#front-right-hose-mm").input_value() == "9.5"
    assert sent_of(strip) == ["9.5", "9.5"]


def test_an_arrow_goes_to_the_nearest_place_in_its_direction(strip):
    strip.locator("#front-left-hose-mm").focus()
    strip.keyboard.press("ArrowRight")
    assert strip.evaluate("document.activeElement.id") == "front-right-hose-mm"
    strip.keyboard.press("ArrowDown")
    assert strip.evaluate("document.activeElement.name") == "right"
