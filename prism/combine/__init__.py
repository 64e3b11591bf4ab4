"""Passes back into one image: operators, the ledger, its evaluation and its balance."""
