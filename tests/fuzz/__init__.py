"""What no one does on purpose: hands that press anything (`monkey`), and reports (`mutants`), data files and pictures
(`data_files`) that no program wrote. All of it is seeded."""
