"""The plan: from light to values, from values to steps, with what each step needs and what to mind."""
