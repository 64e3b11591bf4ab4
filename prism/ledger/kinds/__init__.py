"""The kinds of rows: one module each, all of them listed in `prism.ledger.rows`."""
