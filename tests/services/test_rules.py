"""Workshop rules: who may set them, what is kept, what they do to a package, and that they stay in their workshop."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from threading import Barrier

import pytest

from mesotrope.core.answer.answer import diagnose
from mesotrope.core.language.corner import Corner
from mesotrope.core.plan.packages import compare_all
from mesotrope.errors import Clash, InvalidInput, NotAllowed
from mesotrope.knowledge import knowledge
from mesotrope.services.rule_changes import set_rules
from mesotrope.services.rules import changes_of, figures_of, own_knowledge, read_rule, rules_of, schools_of
from tests.documents import ALL_FREE, DRAGS, inspect

CALIPER = "cost.replace_caliper.parts"


def set_(database, who, clock, **written):
    keys = {key.replace("__", "."): text for key, text in written.items()}
    return set_rules(database, knowledge(), keys, by=who, now=clock())


def test_a_lead_sets_a_price_and_it_holds_with_who_and_when(database, someone, clock):
    lead = someone(role="lead")
    assert set_(database, lead, clock, cost__replace_caliper__parts="118,50", school__nuts="once") == 2
    rule = rules_of(database, by=lead)[CALIPER]
    assert (rule.value, rule.by) == (118.5, lead.name)
    own = own_knowledge(knowledge(), figures_of(database, by=lead))
    assert own.cost["replace_caliper"].parts == 118.5
    assert knowledge().cost["replace_caliper"].parts == 135
    assert schools_of(knowledge(), rules_of(database, by=lead))["nuts"] == "once"


def test_only_what_differs_is_a_change_and_an_empty_text_goes_back(database, someone, clock):
    lead = someone(role="lead")
    set_(database, lead, clock, cost__replace_caliper__parts="118.5")
    assert set_(database, lead, clock, cost__replace_caliper__parts="118.5", cost__replace_hose__parts="") == 0
    assert set_(database, lead, clock, cost__replace_caliper__parts="") == 1
    assert own_knowledge(knowledge(), figures_of(database, by=lead)).cost["replace_caliper"].parts == 135
    assert [(change.key, change.value) for change in changes_of(database, by=lead, most=9)] == [
        (CALIPER, None),
        (CALIPER, 118.5),
    ]


def test_the_same_change_sent_again_is_answered_as_at_first_and_kept_once(database, someone, clock):
    """Its answer was lost on the way: whoever waits for it is not told that nothing changed."""
    lead = replace(someone(role="lead"), key="rules-key-1")
    other = replace(lead, key="rules-key-2")
    assert [set_(database, who, clock, school__nuts="once") for who in (lead, lead, other)] == [1, 1, 0]
    assert len(changes_of(database, by=lead, most=9)) == 1


def test_a_page_that_was_kept_as_it_stood_changes_nothing(database, someone, clock):
    """Every choice is sent along: where it starts is no setting of it, until it was set otherwise."""
    lead = someone(role="lead")
    as_it_starts = {
        "school.nuts": "again_after_50",
        "archive.after": "never",
        "money.labour_per_hour": "",
        "detail.beside": "",
    }
    assert set_rules(database, knowledge(), as_it_starts, seen=set(), by=lead, now=clock()) == 0
    assert set_(database, lead, clock, archive__after="5") == 1
    assert set_(database, lead, clock, archive__after="never") == 1
    assert rules_of(database, by=lead)["archive.after"].value == "never"


def test_of_two_leads_neither_takes_back_what_the_other_set(database, someone, clock):
    """Both have the page as it stood open: what only one of them changed is kept, what both did is said."""
    ann = someone("lead", "Of two leads")
    ben = someone("lead", "Of two leads")
    set_(database, ann, clock, money__labour_per_hour="80", cost__replace_hose__parts="20")
    page = {rule.id for rule in rules_of(database, by=ann).values()}

    def keep(who, seen, labour, hose, nuts="again_after_50"):
        written = {"money.labour_per_hour": labour, "cost.replace_hose.parts": hose, "school.nuts": nuts}
        return set_rules(database, knowledge(), written, seen=seen, by=who, now=clock())

    assert keep(ann, page, "95", "20", "once") == 2
    assert keep(ben, page, "80", "25") == 1  # his page still says 80 an hour: he did not write that
    holds = {key: rule.value for key, rule in rules_of(database, by=ann).items()}
    assert holds == {"money.labour_per_hour": 95, "cost.replace_hose.parts": 25, "school.nuts": "once"}
    with pytest.raises(Clash, match=f"labor, an hour: {ann.name} entered 95 in the meantime; you entered 90") as clash:
        keep(ben, page, "90", "30")
    assert rules_of(database, by=ann)["cost.replace_hose.parts"].value == 25  # nothing of it was kept
    assert keep(ben, page | {clash.value.entry_id}, "90", "25") == 1  # told of it, he keeps his own
    assert keep(ann, page, "90", "20") == 0  # what both set alike is no clash


def test_of_two_leads_who_keep_at_the_same_moment_one_is_told(database, someone, clock):
    leads = [someone("lead", "Of two hasty leads") for _ in range(2)]
    both = Barrier(2)

    def keep(who, seen, text):
        both.wait()
        try:
            return set_rules(database, knowledge(), {"money.labour_per_hour": text}, seen=seen, by=who, now=clock())
        except Clash:
            return "told"

    with ThreadPoolExecutor(2) as pool:
        for number in range(20):
            seen = {rule.id for rule in rules_of(database, by=leads[0]).values()}
            done = list(pool.map(keep, leads, [seen] * 2, [f"{60 + number}", f"{160 + number}"]))
            assert sorted(done, key=str) == [1, "told"]


def test_a_workshop_sets_how_surely_a_package_must_cure_and_when_a_finding_is_explained(database, someone, clock):
    """A seal where calipers are dear: new seals cure with 90 in 100, a new caliper with 98 (the costs' own)."""
    lead = someone(role="lead")
    set_(database, lead, clock, cost__replace_caliper__parts="900")
    dear = own_knowledge(knowledge(), figures_of(database, by=lead))
    set_(database, lead, clock, sure__least_cure="75", sure__of_best_cure="99", sure__explained_chance="60")
    own = own_knowledge(knowledge(), figures_of(database, by=lead))
    assert [own.threshold[name] for name in ("least_cure", "of_best_cure", "explained_chance")] == [0.75, 0.99, 0.6]
    cleared = {"bleeder_opened": "no_change", "parking_cable_slackened": "no_change", "parking_lever": "returns"}
    seal = {"spin": DRAGS, **ALL_FREE, **cleared, "piston_boot": "torn"}
    inspection = inspect({Corner.REAR_LEFT: seal, Corner.REAR_RIGHT: {"spin": {"turns": 6, "seconds": 7}}})
    done = []
    for known in (dear, own):
        (weighed,) = compare_all(diagnose(inspection, known), inspection, known)
        done.append({action for _, action in weighed.recommended.actions})
        assert weighed.least_cure >= known.threshold["least_cure"]
    assert "rebuild_caliper" in done[0]
    assert "replace_caliper" in done[1]


@pytest.mark.parametrize("role", ["apprentice", "technician"])
def test_nobody_but_a_lead_changes_them(database, someone, clock, role):
    who = someone(role=role)
    with pytest.raises(NotAllowed, match="needs the role lead"):
        set_(database, who, clock, cost__replace_caliper__parts="1")
    assert rules_of(database, by=who) == {}


def test_one_bad_figure_and_none_is_kept(database, someone, clock):
    lead = someone(role="lead")
    with pytest.raises(InvalidInput, match="new pads, parts"):
        set_(database, lead, clock, cost__replace_hose__parts="40", cost__replace_pads__parts="-3")
    assert rules_of(database, by=lead) == {}


@pytest.mark.parametrize(
    ("key", "text", "message"),
    [
        (CALIPER, "many", "replace the caliper, parts: 'many' cannot be used"),
        ("limit.drag_fault_nm", "1", "drag fault: '1' cannot be used; allowed: 4 to 16"),
        ("limit.drag_fault_nm", "99", "allowed: 0 to 16"),
        ("limit.lining_legal_floor_mm", "1.0", "it is published"),
        ("limit.patience", "1", "there is no rule of this name"),
        ("sure.least_cure", "20", "cures what is suspected with at least: '20' cannot be used; allowed: 30 to 95"),
        ("sure.least_cure", "100", "allowed: 0 to 95"),
        ("sure.named_chance", "60", "there is no rule of this name"),
        ("approval.verdict", "nobody", "allowed: apprentice, technician"),
        (CALIPER, "900000", "allowed: 0 to 100000"),
        (CALIPER, "nan", "cannot be used"),
        ("cost.replace_caliper.minutes", "99999", "allowed: 0 to 3000"),
        ("money.labour_per_hour", "-1", "allowed: 0 to 1000"),
        ("money.currency", "a great many", "at most 8 characters are allowed"),
        ("school.bolts", "glue", "allowed: dry, threadlocker, anti_seize"),
        ("school.nothing", "x", "there is no rule of this name"),
        ("cost.replace_caliper.again", "0.5", "there is no rule of this name"),
    ],
)
def test_what_cannot_be_is_refused_with_what_is_allowed(key, text, message):
    with pytest.raises(InvalidInput) as refused:
        read_rule(key, text, knowledge())
    assert message in str(refused.value)


def test_rules_stay_in_their_workshop(database, someone, clock):
    ours, theirs = someone(role="lead"), someone(role="lead")
    assert ours.workshop_id != theirs.workshop_id
    set_(database, ours, clock, money__labour_per_hour="140")
    assert "money.labour_per_hour" not in rules_of(database, by=theirs)
    assert own_knowledge(knowledge(), figures_of(database, by=theirs)).money.labour_per_hour == 95


def test_every_default_of_a_school_is_one_of_its_choices():
    for school in knowledge().schools:
        assert school.default in {choice.id for choice in school.choice}
        assert all(choice.reason and choice.words for choice in school.choice)
        assert len(school.choice) >= 2


def test_every_fault_has_its_remedy_and_every_action_its_cost():
    known = knowledge()
    assert set(known.remedy) == {fault.id for fault in known.faults} | {known.worn.id}
    assert set(known.cost) == set(known.action)
    for remedy in known.remedies:
        assert set(remedy.cures) <= set(known.action)
        assert any(action in remedy.cures for action in known.cure[remedy.id].actions)
        assert all(action in known.action for way in remedy.ways for action in way)
