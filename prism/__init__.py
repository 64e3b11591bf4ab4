"""The computation behind Eager Prism: pixels, files, colour, passes and their recombination.

Pure Python on arrays and small immutable values. Nothing here knows a web page, a database or a request;
`python -m prism` is its own command line.
"""
