"""What no one does on purpose: hands that press anything, and files that no program wrote. All of it is seeded."""
