"""How access is decided.

`engine` decides, `reference` is the specification that it is tested against and that tells
how an answer was come to, and `explain` says it in words.
"""
