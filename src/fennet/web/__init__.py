"""The site: Flask, Jinja, SVG drawn on the server. A handler asks operations or queries, the core computes, a view model is
drawn by a template.

Import rule: everything below it but launch; no SQL and no rule of the job here.
"""
