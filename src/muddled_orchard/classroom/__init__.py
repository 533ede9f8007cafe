"""What several commands do with a class: handing out to it, and grading it.

`handing_out` (who gets what), `roles` (who has which), `making` (the files), `versions` (which one of a
mended scenario counts), `practising` (what a host gives to practise), `marking` (with the ledger's memory),
`standing` (the class as it counts), `tallying`, `parallel` (in processes), `shipping` (to a cluster),
`at_servers` (many at once), `brief_page`.
"""
