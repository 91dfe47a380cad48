"""A level run: booked, reduced in both schools, closed and spread."""
