"""The process that hears gardens' brokers (MQTT): off unless a garden has one, started again by the command that serves."""
