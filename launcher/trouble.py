"""What stops the launcher: one sentence that says what is wrong and what to do."""


class Trouble(Exception):
    pass


def step(text: str) -> None:
    """Say what is being done, at once."""
    print(f"- {text}", flush=True)
