"""Guided checks: every procedure by its key."""

from vivid_keel.core.instruments.outcome import Procedure
from vivid_keel.core.instruments.procedures.bubbles import Circular, Plate
from vivid_keel.core.instruments.procedures.certificate import Certificate
from vivid_keel.core.instruments.procedures.field_procedure import FieldProcedure, FieldTrial, field_trial
from vivid_keel.core.instruments.procedures.lasers import Axes, Fan, PlumbLine
from vivid_keel.core.instruments.procedures.others import PlumbFrame, StaffCheck, String
from vivid_keel.core.instruments.procedures.reversal import Level, Plumb
from vivid_keel.core.instruments.procedures.straightness import Straightness
from vivid_keel.core.instruments.procedures.two_peg import LAYOUT, Cone, TwoPegCheck
from vivid_keel.core.instruments.procedures.water import Hydrostatic, Tube

CERTIFICATE = Certificate()
PROCEDURES: dict[str, Procedure] = {
    p.key: p
    for p in (
        Level(),
        Plumb(),
        Straightness(),
        TwoPegCheck(),
        FieldProcedure(),
        Circular(),
        Plate(),
        Axes(),
        Cone(),
        Fan(),
        PlumbLine(),
        Tube(),
        Hydrostatic(),
        String(),
        PlumbFrame(),
        StaffCheck(),
        CERTIFICATE,
    )
}

__all__ = ["CERTIFICATE", "LAYOUT", "PROCEDURES", "FieldTrial", "field_trial"]
