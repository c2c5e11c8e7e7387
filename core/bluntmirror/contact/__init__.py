"""Contact: clearance between every two bodies that can move against each other, over the whole program.

clearance   the least distance between two bodies' surfaces at a pose
margin      the least clearance of a pair over the program
reference   a pose whose clearance is known; nearby poses are certified from it without asking again
"""
