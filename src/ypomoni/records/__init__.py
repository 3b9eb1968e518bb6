"""What is kept, each kind of record described once: its columns, its place in the site file, its limits, its field in a form, its words.

A record is a `TypedDict`: the row as it is stored. Each of its keys is annotated with a `Field` (see `field`), and from these come the SQL
statements (`storage.aggregate`), the models of the site file (`documents.described`), the forms (`web.records.described`), the history's
words and the table of fields in the glossary. To add a field: a line here, a column in a migration, and its meaning in the core.
"""
