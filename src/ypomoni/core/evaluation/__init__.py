"""One plan evaluated: every figure, what to fit, and the judgement of both."""
