"""A network: the job's runs adjusted together."""
