"""The engine: a ledger compiled into a program of instructions, run over bands of pixels."""
