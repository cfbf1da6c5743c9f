"""What lasts: tables in MariaDB, and files named by their content."""
