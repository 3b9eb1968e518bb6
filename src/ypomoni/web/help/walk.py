"""A first walk through the demo: six steps, each on its page, left at any time."""

# What is said, how one knows one is there, and what leads on to the next step.
STEPS = (
    {
        "at": ".sites",
        "text": "These are the sites, the worst first. The archive's strip ends before the line: it does not hold.",
        "next": ".site-name",
    },
    {
        "at": "#region-strip",
        "text": "Each lane is a supply: as thick as its current, as long as it lasts. What is hatched is missing. Every figure opens to how it comes about.",
        "next": ".views a[href*='/outage']",
    },
    {
        "at": ".outage",
        "text": "Here the mains fails. Turn the battery's age or the cold, and see when the voltage gives out, and which load is lost first.",
        "next": ".stages [data-key='a']",
    },
    {
        "at": "#region-tree",
        "text": "The audit says what is measured, what does not add up, and which reading tells most. Currents are corrected in the register below.",
        "next": ".stages [data-key='l']",
    },
    {
        "at": "#region-board",
        "text": "Take a piece and hold it over a lane: it says what would be. Nothing is kept before you let go, and all of it can be undone.",
        "next": ".stages [data-key='b']",
    },
    {
        "at": ".brief-bench",
        "text": "Here stands what must hold, and by whose rule. The work on a new site begins on this page. Type / to find anything, ? for the keys.",
        "next": "",
    },
)
