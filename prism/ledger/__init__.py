"""The ledger: its document and kinds of rows, and how it is begun, changed, merged and laid on other passes."""
