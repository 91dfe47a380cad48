"""Pictures as display lists, computed from results; painted by the window, the report and the tests' recorder."""
