"""Which packages a wheel holds: no tests and no demo, and the pages of docs/ that parcels and the guide read. All else
is said in pyproject.toml."""

from setuptools import find_packages, setup

OURS = ["prism", "prism.*", "standin", "standin.*", "desk", "desk.*"]

setup(
    packages=[*find_packages(include=OURS, exclude=["*.tests", "*.tests.*"]), "prism.docs"],
    package_dir={"prism.docs": "docs"},
    package_data={
        "prism": ["py.typed", "pixels/fonts/*"],
        "prism.docs": ["*.md", "*.json", "examples/*", "screenshots/*.png"],
        "desk": ["templates/**/*", "static/**/*"],
    },
)
