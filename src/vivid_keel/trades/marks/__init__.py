"""Reference marks: one carried to columns and walls as a star or a chain; what to measure up, cut or make up."""
