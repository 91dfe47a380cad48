"""What is shown and what typing does, without Qt: stages, sheets of cells, the next step."""
