"""The bench as data: model, formulas, edits, evaluation."""
