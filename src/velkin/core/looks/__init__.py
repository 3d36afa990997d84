"""Looks: what changes look and numbers, learnt here or brought from elsewhere, as files hold it and as a shoot keeps it."""
