"""What has changed since a report was made: one digest over everything it was made of, and the changes by name."""

import hashlib
import json
from collections.abc import Iterator
from typing import Any

Document = dict[str, Any]

# Lists of the site file and of a plan: what one thing of it is called, or the list as a whole where its things have no key.
ITEM_WORDS = {
    "requirements": "requirement",
    "places": "place",
    "instruments": "instrument",
    "plans": "plan",
    "supplies": "supply",
    "loads": "load",
    "points": "measuring point",
    "readings": "reading",
    "selectors": "changeover",
    "tests": "discharge test",
}
WHOLE_WORDS = {"runs": "the cable runs", "stock": "the stock list"}
ENGINE_WORDS = "the calculation is of another version of the program"


def report_digest(made_of: Document) -> str:
    """Return the digest of all a report is made of: the site file, ticks, set-up readings, and the version of the calculation."""
    return hashlib.sha256(json.dumps(made_of, sort_keys=True, separators=(",", ":"), default=str).encode()).hexdigest()


def differences(was: Document, now: Document, plan_key: str) -> tuple[str, ...]:
    """Return by name what differs between what a report was made of and what it would be made of now; nothing where their digests are the same."""
    if report_digest(was) == report_digest(now):
        return ()
    found = [*_of_site(was["site_file"], now["site_file"], plan_key)]
    for name, words in (("work", "a step of the job sheet was ticked or changed"), ("sheets", "a charger was set up since")):
        if was.get(name) != now.get(name):
            found.append(words)
    if was.get("engine") != now.get("engine"):
        found.append(ENGINE_WORDS)
    return tuple(found) or ("something of the site was changed",)


def _of_site(was: Document, now: Document, plan_key: str) -> Iterator[str]:
    for name in dict.fromkeys([*was, *now]):
        old, new = was.get(name), now.get(name)
        if old == new:
            continue
        if name == "plans":
            yield from _of_plans(old or [], new or [], plan_key)
        elif isinstance(new, dict) and isinstance(old, dict):
            yield from (f"the site's {field} was changed" for field in dict.fromkeys([*old, *new]) if old.get(field) != new.get(field))
        else:
            yield from _of_list(name, old, new)


def _of_plans(was: list[Document], now: list[Document], plan_key: str) -> Iterator[str]:
    old, new = (next((p for p in plans if p["key"] == plan_key), None) for plans in (was, now))
    if old is None or new is None:
        yield "the plan was removed"
        return
    for name in dict.fromkeys([*old, *new]):
        if old.get(name) == new.get(name):
            continue
        if isinstance(new.get(name), list) or isinstance(old.get(name), list):
            yield from _of_list(name, old.get(name), new.get(name))
        else:
            yield f"the plan's {name} was changed"
    others = [[p for p in plans if p["key"] != plan_key] for plans in (was, now)]
    yield from _of_list("plans", *others)


def _of_list(name: str, was: Any, now: Any) -> Iterator[str]:
    """Yield which things of a list were added, taken out or changed; of a list whose things have no key that it was changed."""
    word = ITEM_WORDS.get(name)
    if word is None:
        yield f"{WHOLE_WORDS.get(name, name)} {'were' if name == 'runs' else 'was'} changed"
        return
    old, new = ({e["key"]: e for e in things or []} for things in (was, now))
    for key in dict.fromkeys([*old, *new]):
        if old.get(key) != new.get(key):
            named = (new.get(key) or old[key]).get("name") or key
            verb = "was added" if key not in old else "was taken out" if key not in new else "was changed"
            yield f"{word} {named} {verb}"
    if list(old) != list(new) and set(old) == set(new):
        yield f"the order of {name} was changed"
