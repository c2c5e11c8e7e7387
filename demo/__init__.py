"""The demo shop, Saltmarsh Instruments: machines, tools and jobs in open formats, and the generator that writes them."""
