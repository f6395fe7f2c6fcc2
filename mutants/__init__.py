"""Whether the tests notice when the program is wrong: small mistakes are made on purpose, and tests run on each."""
