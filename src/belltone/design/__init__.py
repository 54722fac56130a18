"""The design: plain frozen values in SI units, their words and checks."""
