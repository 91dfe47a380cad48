"""How long the water in a tube takes to stand still.

Source: the U-tube as a damped pendulum, ω² = 2g/L, Poiseuille's drag; legs of one pressure stand by their densities.
"""

from __future__ import annotations

import math

from msgspec import Struct

G = 9.80665
WATER = 1.0e-6
"""Kinematic viscosity of water at 20 °C [m²/s]."""


class Settling(Struct, frozen=True):
    """Period of the swing [s], None where the water creeps; the wait until it stands [s]; β/ω [1].

    `advised` is what to wait: near the critical bore the plain envelope is too short.
    """

    period: float | None
    wait: float
    damping: float

    @property
    def advised(self) -> float:
        """1.7 times the wait for β/ω from 0.5 to 2, else the wait [s]."""
        return 1.7 * self.wait if 0.5 <= self.damping <= 2 else self.wait


def settle(filled: float, bore: float, start: float, resolution: float, viscosity: float = WATER) -> Settling:
    """Return how a tube with both ends open settles.

    ω = √(2g/L), β = 4ν/a². Below critical it swings and decays as exp(−βt); when β ≥ ω it creeps at
    ω²/(β + √(β² − ω²)). The wait is until `start` has fallen to `resolution`.

    Parameters
    ----------
    filled, bore : float
        Filled length, and radius of the bore [m].
    start, resolution : float
        Disturbance at first, and what can be read [m].
    viscosity : float
        [m²/s]

    References
    ----------
    A column of length L swinging under 2g/L, laminar friction in a round bore.
    """
    omega, beta = math.sqrt(2 * G / filled), 4 * viscosity / bore**2
    creeps = beta >= omega * (1 - 1e-9)
    rate = omega**2 / (beta + math.sqrt(max(beta**2 - omega**2, 0.0))) if creeps else beta
    wait = 0.0 if start <= resolution else math.log(start / resolution) / rate
    return Settling(None if creeps else 2 * math.pi / omega, wait, beta / omega)


def water_density(celsius: float) -> float:
    """Return the density of clean water [kg/m³] at a temperature `celsius` [°C], 0 to 40.

    References
    ----------
    Tanaka and others, Metrologia 38 (2001), air-free water at 101.325 kPa.
    """
    t = celsius
    return 999.97495 * (1 - (t - 3.983035) ** 2 * (t + 301.797) / (522528.9 * (t + 69.34881)))


def leg_difference(column: float, first: float, second: float) -> float:
    """Return how much higher the water stands in leg 1 than in leg 2 [m]: H·(ρ₂ − ρ₁)/ρ.

    Parameters
    ----------
    column : float
        Height H of water in the legs [m].
    first, second : float
        Temperatures of the legs [°C].
    """
    a, b = water_density(first), water_density(second)
    return column * (b - a) / ((a + b) / 2)


def settle_with_basin(filled: float, bore: float, start: float, resolution: float) -> Settling:
    """Return how a tube settles whose one end is a wide basin: ω = √(g/L), as one twice as long with both ends open.

    Parameters
    ----------
    filled, bore, start, resolution : float
        As of `settle` [m].
    """
    return settle(2 * filled, bore, start, resolution)
