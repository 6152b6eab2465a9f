"""The rules of the trade: formulas, periods, marks, yardsticks, grading, axes, drafting. Arrays and plain values, no
interface, no database, no files; nothing else of ours may be imported."""
