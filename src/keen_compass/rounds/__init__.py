"""A round under way: make, measure, correct, confirm. Knows the shop and one procedure; knows no screen.

Everything that is typed or decided goes to the shop file at once; a session can be dropped at any
moment and made again from there.

session.py      begins, steps, signs; holds the other three
making.py       size, place on the bed, the file, cutting
measuring.py    callouts, readings
answers.py      what the readings say, live
cable_runs.py   a piece that is cut over the cable
correcting.py   what to enter, what the controller shows afterwards
context.py      what all of them look at
undo.py         taking changes back
"""

from keen_compass.rounds.session import RoundSession

__all__ = ["RoundSession"]
