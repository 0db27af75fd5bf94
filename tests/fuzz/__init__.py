"""What no one does on purpose: hands that press anything (`monkey`), and reports that no program wrote (`mutants`). All
of it is seeded."""
