"""The archive folder: a job as plain files that outlive the program, and back."""
