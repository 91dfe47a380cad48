"""Entries, never changed; the journal folds them into what stands."""
