"""Starting things: the private PostgreSQL cluster, the server, the demo. Runs what it started and stops only that."""
