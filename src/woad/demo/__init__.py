"""The demo job: draws the sheets of the Tidewrack press and simulates their scans."""
