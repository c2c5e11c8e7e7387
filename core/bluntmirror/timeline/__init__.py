"""Time: how fast each motion runs on this machine, and where every axis stands at every moment.

reel       the timed motions of every axis; what the replay plays
junction   the point between two motions that are run through without a stop
knot       a point of the polyline that stands for the path; between knots the axes move straight
"""
