"""Traces on disk: the folder of open formats, and the journal on its way there. The only package that imports Arrow."""
