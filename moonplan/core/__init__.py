"""The rules of the job: pure Python, no Django, no input or output, no clock of its own (docs/rules.md)."""
