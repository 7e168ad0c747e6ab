"""How answers are shown: tables on a terminal, data frames."""
