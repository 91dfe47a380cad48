"""Pictures and papers of every work that brings something level."""
