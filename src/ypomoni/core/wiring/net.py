"""A net of batteries and wires, and what flows in it: Kirchhoff's laws solved for every node.

A net that is joined wrongly is solved as it stands, so that what would flow can be said before anybody joins it.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np


@dataclass(frozen=True, slots=True, kw_only=True)
class Branch:
    """One way from a node to another: its resistance, and what drives current out of ``to_node``. [Ω, V]"""

    name: str
    from_node: str
    to_node: str
    resistance_ohm: float
    emf_v: float = 0.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Flow:
    """What flows in a net: each branch's current from ``from_node`` to ``to_node``, and each node's voltage against the minus side. [A, V]"""

    current_a: dict[str, float]
    node_v: dict[str, float]


def solve_net(branches: Sequence[Branch], plus: str, minus: str, load_a: float = 0.0) -> Flow:
    """Return what flows when a load takes a current from the plus to the minus node. [A]

    What is joined to neither of them is left out. Nodal analysis: Σ (v_from + E − v_to)/R = I into each node, with the minus node at 0 V.
    """
    # A node that hangs in the air has no voltage to solve for, and would make the equations singular.
    reached = _reached(branches, minus)
    live = [b for b in branches if b.from_node in reached]
    nodes = [n for n in dict.fromkeys(n for b in live for n in (b.from_node, b.to_node)) if n != minus]
    index = {node: i for i, node in enumerate(nodes)}
    conductance = np.zeros((len(nodes), len(nodes)))
    injected = np.zeros(len(nodes))
    for branch in live:
        g = 1.0 / branch.resistance_ohm
        ends = ((branch.from_node, -1.0), (branch.to_node, 1.0))
        for node, sign in ends:
            if node not in index:
                continue
            row = index[node]
            conductance[row, row] += g
            other = branch.to_node if node == branch.from_node else branch.from_node
            if other in index:
                conductance[row, index[other]] -= g
            injected[row] += sign * g * branch.emf_v
    if plus in index:
        injected[index[plus]] -= load_a
    volts = np.linalg.solve(conductance, injected) if nodes else injected
    node_v = {minus: 0.0} | {node: float(volts[i]) for node, i in index.items()}
    current_a = {b.name: (node_v[b.from_node] + b.emf_v - node_v[b.to_node]) / b.resistance_ohm for b in live}
    return Flow(current_a=current_a, node_v=node_v)


def _reached(branches: Sequence[Branch], start: str) -> set[str]:
    """Return the nodes that are joined to one."""
    beside: dict[str, list[str]] = {}
    for b in branches:
        beside.setdefault(b.from_node, []).append(b.to_node)
        beside.setdefault(b.to_node, []).append(b.from_node)
    found, waiting = {start}, [start]
    while waiting:
        for node in beside.get(waiting.pop(), []):
            if node not in found:
                found.add(node)
                waiting.append(node)
    return found
