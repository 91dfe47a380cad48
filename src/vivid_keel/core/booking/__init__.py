"""The level book: from staff readings to heights, in both schools, with every check the page allows."""
