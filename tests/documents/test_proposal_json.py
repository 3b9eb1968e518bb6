"""A proposal of the search is kept whole, its infinite shares included."""

from ypomoni.core.balance.limits import Limit, Standing
from ypomoni.core.balance.search import Binding, Move, Proposal
from ypomoni.documents.proposal_json import keep_proposal, read_kept_proposal


def test_a_kept_proposal_is_read_as_it_was():
    """With a limit that nothing is left of, and a load that is left out."""
    standing = Standing(limit=next(iter(Limit)), share_ratio=float("inf"), amount=1.0, allowed=0.0)
    found = Proposal(
        moves=(Move(load_key="l", name="Beam", from_key="a", to_key=None),),
        is_found=True,
        is_proven=False,
        worst_ratio=float("inf"),
        bindings=(Binding(supply_key="a", standing=standing, holdover_h=3.0),),
    )
    assert read_kept_proposal(keep_proposal(found)) == found
