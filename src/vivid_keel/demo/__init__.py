"""Osier Mill: a made-up job, entered the way a person enters one."""

from vivid_keel.demo.osier_mill import build

__all__ = ["build"]
