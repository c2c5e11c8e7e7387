"""Material: the stock as three grids of rays (a tri-dexel), cut by exact sweeps of the tools.

ray        a line of the grid, parallel to X, Y or Z of the grid's frame
interval   a stretch of a ray inside the stock; its two ends carry tags
tag        the motion that made a surface; −1 is the surface the stock came with
tile       16 × 16 neighbouring rays, the unit of parallel work
brick      16³ cells, the unit of display; the film is the bricks' versions through time
grid       the frame of the rays: its Z stands along the tool
"""
