"""Parcels: what somebody elsewhere needs to go on with other software, and to check years later that it is whole."""
