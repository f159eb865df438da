"""Checked scripts to arrays: expressions evaluated once, rules laid out for the engine."""

from skelb.core.plan.columns import Block, Column, Flag, OppositeMode, SizeForm
from skelb.core.plan.comparison import Comparison, compare_values
from skelb.core.plan.dataset import Dataset, make_dataset
from skelb.core.plan.expressions import Expressions, InputValue
from skelb.core.plan.holding import holds_back
from skelb.core.plan.inputs import input_values, option_values, read_value
from skelb.core.plan.memo import Memo
from skelb.core.plan.rules import Plan, make_plan
from skelb.core.plan.signals import NamedRule
from skelb.core.plan.template import Template, make_template

__all__ = [
    "Block",
    "Column",
    "Comparison",
    "Dataset",
    "Expressions",
    "Flag",
    "InputValue",
    "Memo",
    "NamedRule",
    "OppositeMode",
    "Plan",
    "SizeForm",
    "Template",
    "compare_values",
    "holds_back",
    "input_values",
    "make_dataset",
    "make_plan",
    "make_template",
    "option_values",
    "read_value",
]
