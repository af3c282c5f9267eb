"""How a machine's profile, the things of the shop and what is mounted go together, and come apart for the file.

A tool or a stock is a thing of the shop with an identity of its own; a profile names the tools that the machine uses;
what is mounted is said apart, because it changes by the hour.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from keen_compass.machines.limits import FITTINGS
from keen_compass.machines.profile import Machine
from keen_compass.quantities.bodies import JsonMapping, JsonObject

Things = dict[str, tuple[str, JsonObject]]  # uid → (kind, what it is)


def parts_of(machine: Machine, known_stock: Mapping[tuple[str, float], str]) -> tuple[JsonObject, Things, JsonObject]:
    """(profile, things, what is mounted), each as the shop file keeps it.

    known_stock: uid by material and thickness: the same material in the same thickness is the same stock.
    """
    body = machine.to_json()
    tools = [t if t.uid else replace(t, uid=_uid(machine.uid, t.name)) for t in machine.tools]
    things: Things = {}
    for t in tools:
        things[t.uid] = "tool", {"name": t.name, "diameter": t.diameter, "drawn": t.drawn}
        if t.trails:  # of all others nothing new is said: they are what they were
            things[t.uid][1]["trails"] = True
    mounted = next((t.uid for t in tools if t.uid == machine.mounted), tools[0].uid if tools else "")
    loaded: JsonObject = {"tool": mounted}
    fittings = [f if f.uid else replace(f, uid=_uid(machine.uid, f.kind, f.name)) for f in machine.fittings]
    for f in fittings:
        things[f.uid] = f.kind, {"name": f.name} | ({"offset": list(f.offset)} if f.offset else {})
    loaded |= {kind: uid for kind, uid in machine.fitted.items() if uid}
    if s := machine.stock:
        uid = known_stock.get((s.name, s.thickness)) or s.uid or _uid(s.name, f"{s.thickness:g}")
        things[uid] = ("stock", {"name": s.name, "thickness": s.thickness})
        loaded |= {"stock": uid, "x": s.x, "y": s.y, "width": s.width, "height": s.height}
    del body["stock"], body["mounted"], body["fitted"]
    return body | {"tools": [t.uid for t in tools], "fittings": [[f.kind, f.uid] for f in fittings]}, things, loaded


def put_together(body: JsonMapping, things: Mapping[str, JsonMapping], loaded: JsonMapping) -> Machine:
    """Inverse of `parts_of`; a tool or stock that can't be read any more is left out."""
    tools = [{"uid": uid, **things[uid]} for uid in body["tools"] if uid in things]
    stock = None
    if (uid := loaded.get("stock", "")) in things:
        stock = {"uid": uid, **things[uid], **{k: loaded[k] for k in ("x", "y", "width", "height")}}
    fittings = [{"kind": kind, "uid": uid, **things[uid]} for kind, uid in body.get("fittings", ()) if uid in things]
    return Machine.from_json(
        {
            **body,
            "tools": tools,
            "stock": stock,
            "mounted": loaded.get("tool", ""),
            "fittings": fittings,
            "fitted": {kind: loaded[kind] for kind in FITTINGS if loaded.get(kind)},
        }
    )


def _uid(*parts: str) -> str:
    from hashlib import blake2b  # late: the first screen makes no identities

    return blake2b("\x1f".join(parts).encode("utf-8", "surrogatepass"), digest_size=16).hexdigest()
