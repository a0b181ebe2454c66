"""The work itself, without Qt: arrays and numbers in, arrays and numbers out.

Folders in the order in which a sheet travels through them::

    raster      arithmetic that every step shares
    formats     image files in and out
    scan        is the scan good enough: clipping, sharpness, compression, light, noise
    square      the sheet's corners, its tilt, bows, and the one resampling
    paper       the light on the sheet, the paper's noise, evening
    ink         density, the paper and ink humps, the curve between them
    spotting    small detached things, hairs, dust and streaks, and mending what lies under them
    knockout    coverage, and the colour of marks without the paper's share
    edge        edges moved, evened, sharpened
    docket      the settings of one sheet
    render      the one place where settings meet pixels
    editions    what leaves the studio
"""
