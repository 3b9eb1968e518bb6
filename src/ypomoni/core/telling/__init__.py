"""How results are kept and said: figures with their findings, and numbers in words."""
