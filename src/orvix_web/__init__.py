"""The web application: pages, rows, permissions and transport over the core. No pixel maths lives here."""
