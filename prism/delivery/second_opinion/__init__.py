"""A ledger rebuilt with NumPy alone, written from docs/ledger-format.md and sharing no code with the application.

It goes out with every parcel, so that whoever gets it can do the sum again with nothing but Python and NumPy, and it is
what the application's own evaluator is tested against. It is slow and plain on purpose. From the folder of a parcel:

    python -m second_opinion 1001

writes rebuilt_1001.npy and says how far it is from the picture in the parcel. The finish is not part of it.
"""
