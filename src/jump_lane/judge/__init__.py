"""What a converter file asks for, judged on what the circuit does."""
