"""What all views share: documents, figures, JSON, pages and the terminal. It knows no command.

`page` (templates, and Markdown as HTML), `spreadsheet` (CSV), `exercise_words` (conflicts and
difficulty), `words` (Git's, with what they mean); `document/`, `figures/`, `json/`, `terminal/`.
"""
