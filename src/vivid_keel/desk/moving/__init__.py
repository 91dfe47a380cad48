"""The stages of every work that brings something level: target, moves, proof, and what they need."""
