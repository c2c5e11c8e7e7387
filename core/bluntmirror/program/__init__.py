"""NC programs: from bytes to blocks to interpreted motions.

block      one line of program text
word       a letter and its value: X12.5, G1, F[#3*2]
modal      a code that stays active until another of its group replaces it
motion     one movement of the axes, or one stretch of time (dwell, tool change), with the block that called it
snapshot   everything modal at a motion: active codes and offsets, for the position readout
"""
