"""What an answer says and shows, as data: figures, sentences, tables, charts, map and legend. Whoever renders it adds nothing."""
